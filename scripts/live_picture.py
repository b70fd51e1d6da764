#!/usr/bin/env python3
"""Takes a picture of a page that goes on loading: live_picture.py ADDRESS FILE WIDTH HEIGHT [SCRIPT]

Drives chromedriver (WebDriver), runs SCRIPT on the page two seconds after it is loaded, and waits as long again.
"""

import base64
import json
import subprocess
import sys
import tempfile
import time
import urllib.request

PORT = 8296


def ask(path, body=None):
    request = urllib.request.Request(
        f"http://127.0.0.1:{PORT}{path}",
        data=None if body is None else json.dumps(body).encode(),
        headers={"Content-Type": "application/json"},
    )
    with urllib.request.urlopen(request) as answer:
        return json.load(answer)["value"]


def picture(address, width, height, script):
    arguments = [
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--no-first-run",
        "--disable-background-networking",
        "--hide-scrollbars",
        f"--user-data-dir={tempfile.mkdtemp()}",
    ]
    size = {"width": width, "height": height, "pixelRatio": 1.0, "mobile": False}
    options = {"args": arguments, "mobileEmulation": {"deviceMetrics": size}}
    wanted = {"capabilities": {"alwaysMatch": {"goog:chromeOptions": options}}}
    session = "/session/" + ask("/session", wanted)["sessionId"]
    ask(f"{session}/url", {"url": address})
    time.sleep(2)
    if script:
        ask(f"{session}/execute/sync", {"script": script, "args": []})
        time.sleep(2)
    taken = ask(f"{session}/screenshot")
    urllib.request.urlopen(
        urllib.request.Request(f"http://127.0.0.1:{PORT}{session}", method="DELETE")
    )
    return base64.b64decode(taken)


def main():
    address, file, width, height, *script = sys.argv[1:]
    driver = subprocess.Popen(
        ["chromedriver", f"--port={PORT}"],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        time.sleep(1)
        taken = picture(address, int(width), int(height), "".join(script))
    finally:
        driver.kill()
    with open(file, "wb") as out:
        out.write(taken)


main()

//! Single byte ranges (RFC 9110, section 14): the part of a content that a client asks for.

use std::io::{self, Seek, SeekFrom};
use std::ops::Range;

use crate::response::{Body, Response};

/// The range of a request, against a content of a known length.
#[derive(Debug, PartialEq, Eq)]
enum Wanted {
    /// The whole content: there is no range, or one that a server may ignore.
    Whole,
    /// The bytes of a range, which is not empty.
    Part(Range<u64>),
    /// No byte of the content is in the range.
    Nothing,
}

/// Returns the answer with the part of its content that is asked for. Only answers with status 200 and a content of a
/// known length have parts.
///
/// # Errors
/// If the file of the content has no such place.
pub(crate) fn in_range(response: Response, asked: Option<&str>) -> io::Result<Response> {
    let length = match &response.body {
        Body::Bytes(bytes) if response.status == 200 => bytes.len() as u64,
        Body::File(_, length) if response.status == 200 => *length,
        _ => return Ok(response),
    };
    let response = response.with("Accept-Ranges", "bytes");
    let part = match wanted(asked.unwrap_or_default(), length) {
        Wanted::Whole => return Ok(response),
        Wanted::Part(part) => part,
        Wanted::Nothing => {
            let answer = Response::text(416, "");
            return Ok(answer.with("Content-Range", format!("bytes */{length}")));
        }
    };
    let range = format!("bytes {}-{}/{length}", part.start, part.end - 1);
    let Response { fields, body, .. } = response.with("Content-Range", range);
    let body = match body {
        Body::Bytes(bytes) => {
            let at = |place| usize::try_from(place).unwrap_or(bytes.len());
            Body::Bytes(bytes[at(part.start)..at(part.end)].to_vec())
        }
        Body::File(mut file, _) => {
            file.seek(SeekFrom::Start(part.start))?;
            Body::File(file, part.end - part.start)
        }
        events => events,
    };
    Ok(Response {
        status: 206,
        fields,
        body,
    })
}

/// Reads the field `Range` against a content of `length` bytes. Several ranges are ignored, which is allowed.
fn wanted(field: &str, length: u64) -> Wanted {
    let number = |text: &str| {
        let is_number = !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
        is_number.then(|| text.parse().unwrap_or(u64::MAX))
    };
    let Some((first, last)) = field
        .trim()
        .strip_prefix("bytes=")
        .and_then(|range| range.split_once('-'))
    else {
        return Wanted::Whole;
    };
    let range = match (number(first), number(last)) {
        (Some(first), Some(last)) if first <= last => first..last.saturating_add(1).min(length),
        (Some(first), None) if last.is_empty() => first..length,
        (None, Some(last)) if first.is_empty() => length.saturating_sub(last)..length,
        _ => return Wanted::Whole,
    };
    match range.start < range.end {
        true => Wanted::Part(range),
        false => Wanted::Nothing,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::both("bytes=2-4", Wanted::Part(2..5))]
    #[case::one_byte("bytes=0-0", Wanted::Part(0..1))]
    #[case::to_the_end("bytes=7-", Wanted::Part(7..10))]
    #[case::beyond_the_end("bytes=7-99999999999999999999", Wanted::Part(7..10))]
    #[case::last_bytes("bytes=-3", Wanted::Part(7..10))]
    #[case::more_than_all("bytes=-30", Wanted::Part(0..10))]
    #[case::after_the_end("bytes=10-", Wanted::Nothing)]
    #[case::no_last_byte("bytes=-0", Wanted::Nothing)]
    #[case::none("", Wanted::Whole)]
    #[case::other_unit("lines=1-2", Wanted::Whole)]
    #[case::backwards("bytes=4-2", Wanted::Whole)]
    #[case::several("bytes=0-1,4-5", Wanted::Whole)]
    #[case::signs("bytes=+1-2", Wanted::Whole)]
    fn a_range_is_of_ten_bytes(#[case] field: &str, #[case] expected: Wanted) {
        assert_eq!(wanted(field, 10), expected);
    }
}

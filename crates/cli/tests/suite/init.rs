use crate::site::Site;

#[test]
fn a_new_site_builds_without_a_word() {
    let site = Site::empty();
    site.run(&["init", "blog"]).sound();
    let run = site.run(&["-C", "blog", "build"]);
    assert!(run.sound().out.contains("\nRead 2 posts and 1 page; "));
    assert!(site.read("blog/out/index.html").contains("A second post"));
}

#[test]
fn nothing_is_overwritten() {
    let site = Site::small();
    let before = site.tree(".");
    let run = site.run(&["init", "."]);
    assert_eq!(run.status, 2);
    assert!(run.err.contains("[folder-not-empty]"), "{}", run.err);
    assert_eq!(site.tree("."), before);
}

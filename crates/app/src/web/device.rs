//! On what somebody works, as far as it says so itself.

use rocket::request::{FromRequest, Outcome, Request};

/// A browser and what it runs on, in a few words: `Firefox on Linux`.
#[derive(Debug, Clone)]
pub struct Device(pub String);

const BROWSERS: [(&str, &str); 5] =
    [("Edg/", "Edge"), ("OPR/", "Opera"), ("Firefox/", "Firefox"), ("Chrome/", "Chrome"), ("Safari/", "Safari")];
const SYSTEMS: [(&str, &str); 6] = [
    ("Android", "Android"),
    ("iPhone", "iPhone"),
    ("iPad", "iPad"),
    ("Windows", "Windows"),
    ("Mac OS", "Mac"),
    ("Linux", "Linux"),
];

/// What a browser says of itself, in words of our own: nothing of it is kept as it came.
pub fn named(agent: &str) -> String {
    let find =
        |list: &[(&str, &'static str)]| list.iter().find(|(mark, _)| agent.contains(mark)).map(|(_, name)| *name);
    match (find(&BROWSERS), find(&SYSTEMS)) {
        (Some(browser), Some(system)) => format!("{browser} on {system}"),
        (Some(only), None) | (None, Some(only)) => only.to_owned(),
        (None, None) => "something else".to_owned(),
    }
}

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Device {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        Outcome::Success(Self(named(request.headers().get_one("User-Agent").unwrap_or_default())))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_browser_is_named_in_our_own_words_and_nothing_it_says_is_kept() {
        let phone = "Mozilla/5.0 (Linux; Android 15; Pixel) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0 Mobile Safari/537.36";
        assert_eq!(named(phone), "Chrome on Android");
        assert_eq!(named("Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0"), "Firefox on Linux");
        assert_eq!(
            named("Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) Version/18.0 Safari/604.1"),
            "Safari on iPhone"
        );
        assert_eq!(named("<script>alert(1)</script>"), "something else");
        assert_eq!(named(""), "something else");
    }
}

//! Language tags (BCP 47): which are known, and which one is meant.

use icu_locale_core::Locale;

use crate::diagnostic::nearest;

/// The languages with a code of two letters (ISO 639-1) and their English names.
pub(crate) const LANGUAGES: &[(&str, &str)] = &[
    ("aa", "afar"),
    ("ab", "abkhazian"),
    ("ae", "avestan"),
    ("af", "afrikaans"),
    ("ak", "akan"),
    ("am", "amharic"),
    ("an", "aragonese"),
    ("ar", "arabic"),
    ("as", "assamese"),
    ("av", "avaric"),
    ("ay", "aymara"),
    ("az", "azerbaijani"),
    ("ba", "bashkir"),
    ("be", "belarusian"),
    ("bg", "bulgarian"),
    ("bi", "bislama"),
    ("bm", "bambara"),
    ("bn", "bengali"),
    ("bo", "tibetan"),
    ("br", "breton"),
    ("bs", "bosnian"),
    ("ca", "catalan"),
    ("ce", "chechen"),
    ("ch", "chamorro"),
    ("co", "corsican"),
    ("cr", "cree"),
    ("cs", "czech"),
    ("cu", "church slavic"),
    ("cv", "chuvash"),
    ("cy", "welsh"),
    ("da", "danish"),
    ("de", "german"),
    ("dv", "divehi"),
    ("dz", "dzongkha"),
    ("ee", "ewe"),
    ("el", "greek"),
    ("en", "english"),
    ("eo", "esperanto"),
    ("es", "spanish"),
    ("et", "estonian"),
    ("eu", "basque"),
    ("fa", "persian"),
    ("ff", "fulah"),
    ("fi", "finnish"),
    ("fj", "fijian"),
    ("fo", "faroese"),
    ("fr", "french"),
    ("fy", "frisian"),
    ("ga", "irish"),
    ("gd", "gaelic"),
    ("gl", "galician"),
    ("gn", "guarani"),
    ("gu", "gujarati"),
    ("gv", "manx"),
    ("ha", "hausa"),
    ("he", "hebrew"),
    ("hi", "hindi"),
    ("ho", "hiri motu"),
    ("hr", "croatian"),
    ("ht", "haitian"),
    ("hu", "hungarian"),
    ("hy", "armenian"),
    ("hz", "herero"),
    ("ia", "interlingua"),
    ("id", "indonesian"),
    ("ie", "interlingue"),
    ("ig", "igbo"),
    ("ii", "sichuan yi"),
    ("ik", "inupiaq"),
    ("io", "ido"),
    ("is", "icelandic"),
    ("it", "italian"),
    ("iu", "inuktitut"),
    ("ja", "japanese"),
    ("jv", "javanese"),
    ("ka", "georgian"),
    ("kg", "kongo"),
    ("ki", "kikuyu"),
    ("kj", "kuanyama"),
    ("kk", "kazakh"),
    ("kl", "greenlandic"),
    ("km", "khmer"),
    ("kn", "kannada"),
    ("ko", "korean"),
    ("kr", "kanuri"),
    ("ks", "kashmiri"),
    ("ku", "kurdish"),
    ("kv", "komi"),
    ("kw", "cornish"),
    ("ky", "kyrgyz"),
    ("la", "latin"),
    ("lb", "luxembourgish"),
    ("lg", "ganda"),
    ("li", "limburgish"),
    ("ln", "lingala"),
    ("lo", "lao"),
    ("lt", "lithuanian"),
    ("lu", "luba-katanga"),
    ("lv", "latvian"),
    ("mg", "malagasy"),
    ("mh", "marshallese"),
    ("mi", "maori"),
    ("mk", "macedonian"),
    ("ml", "malayalam"),
    ("mn", "mongolian"),
    ("mr", "marathi"),
    ("ms", "malay"),
    ("mt", "maltese"),
    ("my", "burmese"),
    ("na", "nauru"),
    ("nb", "bokmål"),
    ("nd", "north ndebele"),
    ("ne", "nepali"),
    ("ng", "ndonga"),
    ("nl", "dutch"),
    ("nn", "nynorsk"),
    ("no", "norwegian"),
    ("nr", "south ndebele"),
    ("nv", "navajo"),
    ("ny", "chichewa"),
    ("oc", "occitan"),
    ("oj", "ojibwa"),
    ("om", "oromo"),
    ("or", "odia"),
    ("os", "ossetian"),
    ("pa", "punjabi"),
    ("pi", "pali"),
    ("pl", "polish"),
    ("ps", "pashto"),
    ("pt", "portuguese"),
    ("qu", "quechua"),
    ("rm", "romansh"),
    ("rn", "rundi"),
    ("ro", "romanian"),
    ("ru", "russian"),
    ("rw", "kinyarwanda"),
    ("sa", "sanskrit"),
    ("sc", "sardinian"),
    ("sd", "sindhi"),
    ("se", "sami"),
    ("sg", "sango"),
    ("si", "sinhala"),
    ("sk", "slovak"),
    ("sl", "slovenian"),
    ("sm", "samoan"),
    ("sn", "shona"),
    ("so", "somali"),
    ("sq", "albanian"),
    ("sr", "serbian"),
    ("ss", "swati"),
    ("st", "sotho"),
    ("su", "sundanese"),
    ("sv", "swedish"),
    ("sw", "swahili"),
    ("ta", "tamil"),
    ("te", "telugu"),
    ("tg", "tajik"),
    ("th", "thai"),
    ("ti", "tigrinya"),
    ("tk", "turkmen"),
    ("tl", "tagalog"),
    ("tn", "tswana"),
    ("to", "tongan"),
    ("tr", "turkish"),
    ("ts", "tsonga"),
    ("tt", "tatar"),
    ("tw", "twi"),
    ("ty", "tahitian"),
    ("ug", "uyghur"),
    ("uk", "ukrainian"),
    ("ur", "urdu"),
    ("uz", "uzbek"),
    ("ve", "venda"),
    ("vi", "vietnamese"),
    ("vo", "volapük"),
    ("wa", "walloon"),
    ("wo", "wolof"),
    ("xh", "xhosa"),
    ("yi", "yiddish"),
    ("yo", "yoruba"),
    ("za", "zhuang"),
    ("zh", "chinese"),
    ("zu", "zulu"),
];

/// Codes of countries, and former codes, that are taken for those of languages.
const TAKEN_FOR_LANGUAGES: &[(&str, &str)] = &[
    ("at", "de"),
    ("au", "en"),
    ("cn", "zh"),
    ("cz", "cs"),
    ("dk", "da"),
    ("gb", "en"),
    ("gr", "el"),
    ("il", "he"),
    ("in", "id"),
    ("iw", "he"),
    ("ji", "yi"),
    ("jp", "ja"),
    ("mx", "es"),
    ("ua", "uk"),
    ("us", "en"),
    ("vn", "vi"),
];

/// Names of languages in themselves (CLDR), in the order of their codes.
const OWN_NAMES: &[(&str, &str)] = &[
    ("af", "Afrikaans"),
    ("ar", "العربية"),
    ("bg", "Български"),
    ("bn", "বাংলা"),
    ("ca", "Català"),
    ("cs", "Čeština"),
    ("cy", "Cymraeg"),
    ("da", "Dansk"),
    ("de", "Deutsch"),
    ("el", "Ελληνικά"),
    ("en", "English"),
    ("eo", "Esperanto"),
    ("es", "Español"),
    ("et", "Eesti"),
    ("eu", "Euskara"),
    ("fa", "فارسی"),
    ("fi", "Suomi"),
    ("fr", "Français"),
    ("ga", "Gaeilge"),
    ("gl", "Galego"),
    ("he", "עברית"),
    ("hi", "हिन्दी"),
    ("hr", "Hrvatski"),
    ("hu", "Magyar"),
    ("hy", "Հայերեն"),
    ("id", "Indonesia"),
    ("is", "Íslenska"),
    ("it", "Italiano"),
    ("ja", "日本語"),
    ("ka", "ქართული"),
    ("ko", "한국어"),
    ("lt", "Lietuvių"),
    ("lv", "Latviešu"),
    ("nb", "Norsk bokmål"),
    ("nl", "Nederlands"),
    ("nn", "Norsk nynorsk"),
    ("no", "Norsk"),
    ("pl", "Polski"),
    ("pt", "Português"),
    ("ro", "Română"),
    ("ru", "Русский"),
    ("sk", "Slovenčina"),
    ("sl", "Slovenščina"),
    ("sr", "Српски"),
    ("sv", "Svenska"),
    ("ta", "தமிழ்"),
    ("th", "ไทย"),
    ("tr", "Türkçe"),
    ("uk", "Українська"),
    ("ur", "اردو"),
    ("vi", "Tiếng Việt"),
    ("zh", "中文"),
];

/// Returns the name of a tag's language in itself, and the tag if the name is not known.
#[must_use]
pub fn language_name(tag: &str) -> &str {
    let code = tag.split('-').next().unwrap_or_default();
    let mut names = OWN_NAMES.iter();
    let found = names.find(|(known, _)| known.eq_ignore_ascii_case(code));
    found.map_or(tag, |(_, name)| name)
}

/// Scripts that are written from right to left (Unicode Character Database, `Script` and `Bidi_Class`).
const RIGHT_TO_LEFT_SCRIPTS: &[&str] = &[
    "Adlm", "Arab", "Hebr", "Mand", "Nkoo", "Rohg", "Samr", "Syrc", "Thaa", "Yezi",
];

/// Languages whose usual script is one of them (CLDR likely subtags).
const RIGHT_TO_LEFT_LANGUAGES: &[&str] = &[
    "ar", "arc", "arz", "ckb", "dv", "fa", "glk", "he", "ks", "lrc", "mzn", "nqo", "ps", "rhg",
    "sd", "syr", "ug", "ur", "yi",
];

/// Checks a language tag: it is well formed, and its language is known or has a code of three letters.
///
/// # Errors
/// The nearest known tag, if there is one.
pub(crate) fn check(tag: &str) -> Result<(), Option<&'static str>> {
    let is_code = |code: &str| code.len() == 3 || LANGUAGES.iter().any(|(known, _)| *known == code);
    match tag.parse::<Locale>() {
        Ok(locale) if is_code(locale.id.language.as_str()) => Ok(()),
        _ => Err(nearest_tag(tag)),
    }
}

fn nearest_tag(tag: &str) -> Option<&'static str> {
    let written = tag.to_lowercase().replace('_', "-");
    let first = written.split('-').next().unwrap_or_default();
    let mut taken = TAKEN_FOR_LANGUAGES.iter();
    if let Some((_, code)) = taken.find(|(known, _)| *known == first) {
        return Some(code);
    }
    let code_of = |name: &str| {
        let mut languages = LANGUAGES.iter();
        languages
            .find(|(code, known)| *code == name || *known == name)
            .map(|(code, _)| *code)
    };
    code_of(first).or_else(|| {
        let names = LANGUAGES.iter().map(|(_, name)| *name);
        code_of(nearest(first, names)?)
    })
}

/// Returns true if a well-formed tag's language is written from right to left.
pub(crate) fn is_right_to_left(tag: &str) -> bool {
    let Ok(locale) = tag.parse::<Locale>() else {
        return false;
    };
    match locale.id.script {
        Some(script) => RIGHT_TO_LEFT_SCRIPTS.contains(&script.as_str()),
        None => RIGHT_TO_LEFT_LANGUAGES.contains(&locale.id.language.as_str()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::language("de", Ok(()))]
    #[case::region("pt-BR", Ok(()))]
    #[case::script("zh-Hant", Ok(()))]
    #[case::three_letters("haw", Ok(()))]
    #[case::in_capitals("EN", Ok(()))]
    #[case::a_name("english", Err(Some("en")))]
    #[case::a_misspelt_name("germn", Err(Some("de")))]
    #[case::a_country("jp", Err(Some("ja")))]
    #[case::a_country_behind("cz-CZ", Err(Some("cs")))]
    #[case::underscore("de_AT", Err(Some("de")))]
    #[case::unknown("xx", Err(None))]
    #[case::nothing("", Err(None))]
    #[case::no_tag("!", Err(None))]
    fn tags_are_checked(#[case] tag: &str, #[case] expected: Result<(), Option<&str>>) {
        assert_eq!(check(tag), expected);
    }

    #[rstest]
    #[case("ar", true)]
    #[case("ar-EG", true)]
    #[case("he", true)]
    #[case("en", false)]
    #[case::by_script("az-Arab", true)]
    #[case::by_script("ks-Deva", false)]
    #[case("!", false)]
    fn the_direction_is_that_of_the_script(#[case] tag: &str, #[case] expected: bool) {
        assert_eq!(is_right_to_left(tag), expected);
    }

    #[test]
    fn languages_are_in_order_and_each_once() {
        assert!(LANGUAGES.is_sorted_by(|a, b| a.0 < b.0));
        assert!(OWN_NAMES.is_sorted_by(|a, b| a.0 < b.0));
        assert!(TAKEN_FOR_LANGUAGES.is_sorted_by(|a, b| a.0 < b.0));
        let is_language = |code: &str| LANGUAGES.iter().any(|(known, _)| *known == code);
        for (taken, meant) in TAKEN_FOR_LANGUAGES {
            assert!(!is_language(taken) && is_language(meant), "{taken}");
        }
    }
}

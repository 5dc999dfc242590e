//! Names of files that are handed over.

use chrono::NaiveDate;
use jaunty_core::handover::{USUAL_PATTERN, check_pattern, file_name, safe_name};
use proptest::prelude::*;

#[test]
fn a_pattern_says_how_files_are_named() {
    let day = NaiveDate::from_ymd_opt(2026, 3, 7).unwrap();
    let named = |pattern: &str, title: &str| file_name(pattern, title, "mix", 12, day);
    assert_eq!(named(USUAL_PATTERN, "The Market Hall Clock"), "The Market Hall Clock, mix");
    assert_eq!(named("{date}_{what}_v{revision}", "x"), "2026-03-07_mix_v12");
    assert_eq!(named("{title} {what}", "{what}/{date}"), "-what---date- mix", "a title that looks like a place is none");
    assert_eq!(named("{title}{what}", "../../etc"), "-..-etcmix");
    assert!(check_pattern("{title}").is_err() && check_pattern("{what} {who}").is_err() && check_pattern(&format!("{{what}}{}", "x".repeat(130))).is_err());
    assert!(check_pattern(USUAL_PATTERN).is_ok() && check_pattern("{what}").is_ok());
}

proptest! {
    /// Whatever somebody writes: a name that every file system takes.
    #[test]
    fn every_name_is_safe(text in ".{0,300}") {
        let name = safe_name(&text);
        prop_assert!(!name.is_empty() && name.chars().count() <= 120 && !name.starts_with('.'));
        prop_assert!(!name.contains(['/', '\\', ':', '\0', '"', '<', '>', '|', '?', '*', '\n']));
    }
}

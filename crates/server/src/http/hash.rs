//! How addresses and clients name a sound.

use serde::Deserialize;
use utoipa::ToSchema;

/// The SHA-256 (FIPS 180-4) of a sound's content, in hexadecimal; nothing else gets as far as files and database.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(try_from = "String")]
#[schema(value_type = String, pattern = "^[0-9a-f]{64}$")]
pub struct SoundHash(pub String);

impl TryFrom<String> for SoundHash {
    type Error = &'static str;

    fn try_from(text: String) -> Result<Self, Self::Error> {
        let is_one = text.len() == 64 && text.bytes().all(|b| matches!(b, b'0'..=b'9' | b'a'..=b'f'));
        if is_one { Ok(Self(text)) } else { Err("a sound is named by 64 hexadecimal digits") }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_digests_are_hashes() {
        // FIPS 180-4, the example of one block: SHA-256 of "abc".
        let digest = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";
        assert_eq!(SoundHash::try_from(digest.to_owned()), Ok(SoundHash(digest.into())));
        for wrong in ["", "abc", &digest[1..], &format!("{digest}0"), &digest.to_uppercase(), &format!("../{}", &digest[3..]), &"\u{1f3b5}".repeat(16)] {
            assert!(SoundHash::try_from(wrong.to_string()).is_err(), "{wrong}");
        }
    }
}

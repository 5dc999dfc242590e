//! What is said of a cut, as a code with facts: history, fittings and splices keep these, never sentences.
//!
//! The words stand in one catalogue, `words/en.json` at the root of the tree. The page makes them with
//! `vue-i18n`, so that another language is another file; files that are handed over, records and the
//! command line have them in English, from here.

use crate::units::seconds_from_samples;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::LazyLock;

/// A code of the catalogue with the facts of its words; or words, from before there were codes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(untagged)]
pub enum Message {
    /// What is said.
    Coded {
        /// Its place in the catalogue.
        code: String,
        /// What its words tell, by name.
        #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
        facts: BTreeMap<String, Fact>,
    },
    /// Words of an older database or archive, as they are.
    Plain(String),
}

/// Something that words tell. The unit is the key in JSON.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Fact {
    /// How many; as `n` it chooses between the words for one and for more.
    Count(u64),
    /// A figure; its unit stands in the words.
    Figure {
        /// What it is.
        value: f64,
        /// With how many decimals it is told at most.
        decimals: u8,
    },
    /// A length in samples, told in seconds with one decimal; below 0 it is backwards.
    Seconds(i64),
    /// A place in samples, told in minutes, seconds and tenths.
    Clock(u64),
    /// A name, a letter or a timecode, alike in every language.
    Name(String),
    /// Something that is said within it.
    #[cfg_attr(feature = "schema", schema(no_recursion))]
    Message(Box<Message>),
    /// Several things, one after the other.
    #[cfg_attr(feature = "schema", schema(no_recursion))]
    List(Vec<Message>),
    /// Several clauses of one sentence.
    #[cfg_attr(feature = "schema", schema(no_recursion))]
    Clauses(Vec<Message>),
}

/// A [`Message`] of a code, with facts: `message!("voice.join", first = 1, second = 2)`.
#[macro_export]
macro_rules! message {
    ($code:literal $(, $fact:ident = $value:expr)* $(,)?) => {
        $crate::message::Message::Coded {
            code: $code.to_owned(),
            facts: std::collections::BTreeMap::from([$((stringify!($fact).to_owned(), $crate::message::Fact::from($value))),*]),
        }
    };
}

impl Fact {
    /// A length of samples.
    pub fn length(samples: u64) -> Self {
        Self::Seconds(i64::try_from(samples).unwrap_or(i64::MAX))
    }

    /// A figure that is told with at most so many decimals.
    pub fn figure(value: f64, decimals: u8) -> Self {
        Self::Figure { value, decimals }
    }

    /// A share of 1 in percent, with at most two decimals.
    pub fn percent(share: f64) -> Self {
        Self::figure(share * 100.0, 2)
    }

    fn english(&self) -> String {
        match self {
            Self::Count(n) => n.to_string(),
            Self::Figure { value, decimals } => {
                let text = format!("{value:.*}", usize::from(*decimals));
                if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
            }
            Self::Seconds(samples) => format!("{:.1}", *samples as f64 / f64::from(crate::SAMPLE_RATE_HZ)),
            Self::Clock(samples) => {
                let tenths = (seconds_from_samples(*samples) * 10.0).round() as u64;
                format!("{}:{:02}.{}", tenths / 600, tenths / 10 % 60, tenths % 10)
            }
            Self::Name(name) => name.clone(),
            Self::Message(message) => message.to_string(),
            Self::List(all) => joined(all, "between.things"),
            Self::Clauses(all) => joined(all, "between.clauses"),
        }
    }
}

fn joined(all: &[Message], between: &str) -> String {
    all.iter().map(Message::to_string).collect::<Vec<_>>().join(template(between).unwrap_or(", "))
}

impl Message {
    /// As it was stored: JSON, or words of before.
    pub fn from_stored(text: &str) -> Self {
        serde_json::from_str(text).unwrap_or_else(|_| Self::Plain(text.to_owned()))
    }

    /// As it is stored.
    ///
    /// # Panics
    /// Never: whatever it is, JSON can say it.
    pub fn to_stored(&self) -> String {
        serde_json::to_string(self).expect("texts and numbers under texts")
    }

    /// Whether nothing is said.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }
}

/// Nothing.
impl Default for Message {
    fn default() -> Self {
        Self::Plain(String::new())
    }
}

/// The words in English. A code that the catalogue has not, of a newer version perhaps, stands for itself.
impl fmt::Display for Message {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (code, facts) = match self {
            Self::Plain(text) => return to.write_str(text),
            Self::Coded { code, facts } => (code, facts),
        };
        let Some(words) = template(code) else { return to.write_str(code) };
        let words = match (words.split_once(" | "), facts.get("n")) {
            (Some((one, _)), Some(Fact::Count(1))) => one,
            (Some((_, more)), _) => more,
            (None, _) => words,
        };
        let mut rest = words;
        while let Some((before, (name, after))) = rest.split_once('{').and_then(|(before, from)| Some((before, from.split_once('}')?))) {
            to.write_str(before)?;
            match facts.get(name) {
                Some(fact) => to.write_str(&fact.english())?,
                None => write!(to, "{{{name}}}")?,
            }
            rest = after;
        }
        to.write_str(rest)
    }
}

/// The words of a code, with `{fact}` where a fact is told and ` | ` between those for one and for more.
fn template(code: &str) -> Option<&'static str> {
    static CATALOGUE: LazyLock<Value> = LazyLock::new(|| serde_json::from_str(include_str!("../../../../words/en.json")).expect("the catalogue is JSON"));
    CATALOGUE.pointer(&format!("/{}", code.replace('.', "/")))?.as_str()
}

impl From<u64> for Fact {
    fn from(n: u64) -> Self {
        Self::Count(n)
    }
}

impl From<u32> for Fact {
    fn from(n: u32) -> Self {
        Self::Count(n.into())
    }
}

impl From<usize> for Fact {
    fn from(n: usize) -> Self {
        Self::Count(n as u64)
    }
}

impl From<u8> for Fact {
    fn from(n: u8) -> Self {
        Self::Count(n.into())
    }
}

impl From<&str> for Fact {
    fn from(name: &str) -> Self {
        Self::Name(name.to_owned())
    }
}

impl From<String> for Fact {
    fn from(name: String) -> Self {
        Self::Name(name)
    }
}

impl From<&String> for Fact {
    fn from(name: &String) -> Self {
        Self::Name(name.clone())
    }
}

impl From<Message> for Fact {
    fn from(message: Message) -> Self {
        Self::Message(Box::new(message))
    }
}

impl From<Vec<Message>> for Fact {
    fn from(all: Vec<Message>) -> Self {
        Self::List(all)
    }
}

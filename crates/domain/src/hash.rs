//! Content hashes: the name of a file is what it contains.

use std::fmt;
use std::io::{self, Read};
use std::path::Path;
use std::str::FromStr;

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// SHA-256 of some content; written as 64 lower-case hexadecimal digits.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct ContentHash([u8; 32]);

/// A text that is not 64 hexadecimal digits.
#[derive(Debug, thiserror::Error)]
#[error("\"{0}\" is not a content hash (64 hexadecimal digits)")]
pub struct NotAHash(String);

impl ContentHash {
    /// The hash of some bytes.
    pub fn of(bytes: &[u8]) -> Self {
        Self(Sha256::digest(bytes).into())
    }

    /// The hash of a file's content, read once from start to end.
    pub fn of_file(path: &Path) -> io::Result<Self> {
        let mut file = std::fs::File::open(path)?;
        let mut hasher = Hasher::new();
        let mut buffer = vec![0; 1 << 20];
        loop {
            match file.read(&mut buffer)? {
                0 => return Ok(hasher.finish()),
                n => hasher.update(&buffer[..n]),
            }
        }
    }

    /// The hash of a value's canonical JSON together with what it builds on.
    pub fn of_step(below: &ContentHash, settings: &impl Serialize) -> Self {
        let json = serde_json::to_vec(settings).expect("settings are plain data");
        let mut hasher = Hasher::new();
        hasher.update(&below.0);
        hasher.update(&json);
        hasher.finish()
    }
}

/// A [`ContentHash`] in the making, for content that arrives in pieces.
#[derive(Default)]
pub struct Hasher(Sha256);

impl Hasher {
    /// Nothing hashed yet.
    pub fn new() -> Self {
        Self::default()
    }

    /// The next piece of the content.
    pub fn update(&mut self, bytes: &[u8]) {
        self.0.update(bytes);
    }

    /// The hash of all pieces.
    pub fn finish(self) -> ContentHash {
        ContentHash(self.0.finalize().into())
    }
}

impl fmt::Display for ContentHash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

impl fmt::Debug for ContentHash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl FromStr for ContentHash {
    type Err = NotAHash;

    fn from_str(text: &str) -> Result<Self, NotAHash> {
        let refuse = || NotAHash(text.to_owned());
        if text.len() != 64 || !text.is_ascii() {
            return Err(refuse());
        }
        let mut bytes = [0; 32];
        for (byte, pair) in bytes.iter_mut().zip(text.as_bytes().chunks(2)) {
            let pair = std::str::from_utf8(pair).map_err(|_| refuse())?;
            *byte = u8::from_str_radix(pair, 16).map_err(|_| refuse())?;
        }
        Ok(Self(bytes))
    }
}

impl TryFrom<String> for ContentHash {
    type Error = NotAHash;

    fn try_from(text: String) -> Result<Self, NotAHash> {
        text.parse()
    }
}

impl From<ContentHash> for String {
    fn from(hash: ContentHash) -> String {
        hash.to_string()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_hash_of_nothing_is_the_published_one() {
        let text = "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";
        assert_eq!(ContentHash::of(b"").to_string(), text);
        assert_eq!(text.parse::<ContentHash>().unwrap(), ContentHash::of(b""));
    }

    #[test]
    fn other_texts_are_refused() {
        for text in ["", "e3b0", "+3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b85+"] {
            let parsed = text.parse::<ContentHash>();
            assert!(parsed.is_err() || parsed.unwrap().to_string() != text, "{text}");
        }
    }
}

//! Names of results, from a pattern.

use crate::codec::Format;
use crate::picture::Size;

/// The pattern when none is given.
pub const DEFAULT_PATTERN: &str = "{name}_{width}x{height}";

/// The longest name without its ending, in bytes: what is left of the usual 255 goes to endings.
const LONGEST: usize = 200;

/// What the words of a pattern stand for.
#[derive(Clone, Debug)]
pub struct NameParts<'a> {
    /// The original's file name, with or without its ending.
    pub original: &'a str,
    /// Pixels of the result.
    pub size: Size,
    /// Pixels per inch, where there is a print.
    pub ppi: Option<f64>,
    /// Model or method, such as "everyday-x4-draft".
    pub method: &'a str,
    /// Format of the result.
    pub format: Format,
}

/// A pattern with a word in braces that means nothing.
#[derive(Debug, PartialEq, thiserror::Error)]
#[error("\"{{{word}}}\" means nothing in a name: use {{name}}, {{width}}, {{height}}, {{long}}, {{ppi}} or {{method}}")]
pub struct UnknownWord {
    /// The word.
    pub word: String,
}

/// The name of a result, with the ending of its format.
///
/// Whatever the pattern and the original's name hold, the answer is one plain file name: no folders, no control characters.
pub fn file_name(pattern: &str, parts: &NameParts<'_>) -> Result<String, UnknownWord> {
    let mut name = String::new();
    let mut rest = pattern;
    while let Some((before, after)) = rest.split_once('{') {
        name.push_str(before);
        let (word, after) = after.split_once('}').ok_or_else(|| UnknownWord { word: after.to_owned() })?;
        match word {
            "name" => name.push_str(stem(parts.original)),
            "width" => name.push_str(&parts.size.width.to_string()),
            "height" => name.push_str(&parts.size.height.to_string()),
            "long" => name.push_str(&parts.size.long_edge().to_string()),
            "ppi" => name.push_str(&parts.ppi.map_or_else(|| "no-ppi".to_owned(), |ppi| format!("{ppi:.0}ppi"))),
            "method" => name.push_str(parts.method),
            _ => return Err(UnknownWord { word: word.to_owned() }),
        }
        rest = after;
    }
    name.push_str(rest);
    Ok(format!("{}.{}", plain(&name), parts.format.extension()))
}

/// Only the last part of a path, without what a file system or a person could trip over.
pub fn plain(name: &str) -> String {
    let last = name.rsplit(['/', '\\']).next().unwrap_or_default();
    let mut plain: String =
        last.chars().map(|c| if c.is_control() || "<>:\"|?*".contains(c) { '_' } else { c }).collect();
    while plain.len() > LONGEST {
        plain.pop();
    }
    let plain = plain.trim().trim_start_matches('.').to_owned();
    if plain.is_empty() { "picture".to_owned() } else { plain }
}

fn stem(name: &str) -> &str {
    let last = name.rsplit(['/', '\\']).next().unwrap_or_default();
    match last.rsplit_once('.') {
        Some((stem, ending)) if !stem.is_empty() && ending.len() <= 4 => stem,
        _ => last,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn parts(original: &str) -> NameParts<'_> {
        let size = Size::new(5669, 3779);
        NameParts { original, size, ppi: Some(240.0), method: "everyday-x4-draft", format: Format::Tiff }
    }

    #[rstest]
    #[case(DEFAULT_PATTERN, "vases-02.jpg", "vases-02_5669x3779.tif")]
    #[case("{name} {long} {ppi} {method}", "a.b.jpeg", "a.b 5669 240ppi everyday-x4-draft.tif")]
    #[case("print", "x.png", "print.tif")]
    #[case("../../{name}", "/etc/passwd", "passwd.tif")]
    #[case("", "x.png", "picture.tif")]
    fn patterns_become_plain_names(#[case] pattern: &str, #[case] original: &str, #[case] expected: &str) {
        assert_eq!(file_name(pattern, &parts(original)).unwrap(), expected);
    }

    #[test]
    fn an_unknown_word_is_named() {
        assert_eq!(file_name("{nmae}", &parts("x.png")).unwrap_err().word, "nmae");
        assert!(file_name("{name", &parts("x.png")).is_err());
    }

    proptest! {
        #[test]
        fn no_name_leads_out_of_its_folder(pattern in ".{0,40}", original in ".{0,40}") {
            if let Ok(name) = file_name(&pattern, &parts(&original)) {
                prop_assert!(!name.contains(['/', '\\', '\0']) && !name.starts_with('.') && name.len() < 255, "{name}");
            }
        }
    }
}

//! Names of results, from a pattern.

use std::collections::{HashMap, HashSet};

use crate::file::{Format, OutputSettings};
use crate::geometry::Size;
use crate::trace::DrawingFile;
use crate::treatment::Treatment;

/// The pattern when none is given.
pub const DEFAULT_PATTERN: &str = "{name}_{width}x{height}";

/// Words that a pattern may have in braces.
pub const WORDS: [&str; 6] = ["name", "width", "height", "long", "ppi", "method"];

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

/// The name of what a treatment makes of an original; by the usual pattern where none is given.
pub fn of_result(
    pattern: Option<&str>,
    original: &str,
    treatment: &Treatment,
    settings: &OutputSettings,
) -> Result<String, UnknownWord> {
    let method = treatment.method();
    let parts =
        NameParts { original, size: treatment.sheet(), ppi: settings.ppi, method: &method, format: settings.format };
    file_name(pattern.filter(|p| !p.trim().is_empty()).unwrap_or(DEFAULT_PATTERN), &parts)
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

/// Names that a file system of its own reserves for devices, whatever ending follows.
const RESERVED: [&str; 4] = ["con", "prn", "aux", "nul"];

/// Only the last part of a path, without what a file system or a person could trip over.
pub fn plain(name: &str) -> String {
    one_name(name.rsplit(['/', '\\']).next().unwrap_or_default())
}

/// A text as one file name: what parts folders becomes a line.
pub fn of_title(title: &str) -> String {
    one_name(&title.replace(['/', '\\'], "-"))
}

/// Without characters that steer or that a shell or a file system takes for something else, and not a device's name.
fn one_name(name: &str) -> String {
    let mut plain: String = name
        .chars()
        .filter(|c| !turns_text(*c))
        .map(|c| if c.is_control() || "<>:\"|?*/\\".contains(c) { '_' } else { c })
        .collect();
    while plain.len() > LONGEST {
        plain.pop();
    }
    // A name that begins with a hyphen is taken for an option by programs that are given it.
    let plain = plain.trim().trim_start_matches(['.', '-', ' ']).trim_end_matches(['.', ' ']).to_owned();
    let stem = plain.split('.').next().unwrap_or_default().to_ascii_lowercase();
    let numbered =
        |of: &str| stem.strip_prefix(of).is_some_and(|rest| rest.len() == 1 && rest != "0" && is_digits(rest));
    match () {
        () if plain.is_empty() => "picture".to_owned(),
        () if RESERVED.contains(&stem.as_str()) || numbered("com") || numbered("lpt") => format!("_{plain}"),
        () => plain,
    }
}

fn is_digits(text: &str) -> bool {
    text.chars().all(|c| c.is_ascii_digit())
}

/// Marks that make text run the other way or isolate it (UAX #9): a name may show another ending than it has.
fn turns_text(c: char) -> bool {
    matches!(c, '\u{200E}' | '\u{200F}' | '\u{061C}' | '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}')
}

/// Names that are all unlike, also to file systems that take capitals and small letters for the same.
#[derive(Debug, Default)]
pub struct Unlike {
    taken: HashSet<String>,
    /// The number that a name was last given, so that the thousandth of a name is found as soon as the first.
    last: HashMap<String, usize>,
}

impl Unlike {
    /// The name, with a number before its ending where it is taken.
    pub fn take(&mut self, name: String) -> String {
        if self.taken.insert(name.to_lowercase()) {
            return name;
        }
        let (stem, ending) = match name.rsplit_once('.') {
            Some((stem, ending)) => (stem, format!(".{ending}")),
            None => (name.as_str(), String::new()),
        };
        let number = self.last.entry(name.to_lowercase()).or_insert(1);
        loop {
            *number += 1;
            let numbered = format!("{stem}-{number}{ending}");
            if self.taken.insert(numbered.to_lowercase()) {
                return numbered;
            }
        }
    }
}

/// What the drawing of a file is called that was traced.
pub fn of_drawing(name: &str, file: DrawingFile) -> String {
    format!("{}.{}", stem(name), file.extension())
}

/// A file's name without folders and without an ending of up to four letters.
pub fn stem(name: &str) -> &str {
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

    #[rstest]
    #[case("CON", "_CON")]
    #[case("nul.tif", "_nul.tif")]
    #[case("com3.jpg", "_com3.jpg")]
    #[case("common.jpg", "common.jpg")]
    #[case("-rf", "rf")]
    #[case("vases\u{202E}gpj.exe", "vasesgpj.exe")]
    #[case("vases. ", "vases")]
    #[case("\u{202E}", "picture")]
    fn names_that_a_system_or_a_person_would_trip_over_are_set_right(#[case] given: &str, #[case] due: &str) {
        assert_eq!(plain(given), due);
    }

    #[test]
    fn a_title_keeps_its_parts() {
        assert_eq!((of_title("Room 1/2"), plain("Room 1/2")), ("Room 1-2".to_owned(), "2".to_owned()));
    }

    #[test]
    fn names_are_unlike_each_other() {
        let mut names = Unlike::default();
        let given = ["vases.tif", "Vases.tif", "vases-2.tif", "vases.tif", "noending", "noending"];
        let given = given.map(|name| names.take(name.to_owned()));
        assert_eq!(given, ["vases.tif", "Vases-2.tif", "vases-2-2.tif", "vases-3.tif", "noending", "noending-2"]);
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

//! What a parser says of bad input, in a technician's words: which field, what was typed, what would be right.
//!
//! The parser speaks of types ("invalid type: string \"warm\", expected f64"). This turns its sentences into ours; one it does not know
//! is passed on as it is, since an unhelpful sentence is better than none.
use crate::field;

/// The label of the field a path ends in: that of the table of ranges, else its key with spaces.
fn label(path: &str) -> String {
    let key = path.rsplit('.').next().unwrap_or(path);
    let key = key.split('[').next().unwrap_or(key);
    match field::ALL.iter().find(|field| field.key == key) {
        Some(field) => field.label.to_owned(),
        None => {
            let words = key.replace('_', " ");
            let mut letters = words.chars();
            letters.next().map_or_else(|| "Input".to_owned(), |first| first.to_uppercase().chain(letters).collect())
        }
    }
}

/// The range of the field a path ends in, where the table has one.
fn range(path: &str) -> Option<String> {
    let key = path.rsplit('.').next().unwrap_or(path);
    field::ALL.iter().find(|field| field.key == key).map(field::Field::range)
}

/// What a kind of value is called at a bench.
fn wanted(expected: &str) -> String {
    let of = |word: &str| expected.split([' ', ',']).any(|part| part == word);
    if ["f64", "f32"].iter().any(|word| of(word)) {
        "a number".to_owned()
    } else if ["u32", "u64", "usize", "i32", "i64", "u8"].iter().any(|word| of(word)) {
        "a whole number".to_owned()
    } else if expected.contains("boolean") {
        "true or false".to_owned()
    } else if expected.contains("sequence") {
        "a list in square brackets".to_owned()
    } else if expected.contains("struct") || expected.contains("map") {
        "an object in braces, with its named fields".to_owned()
    } else if expected.contains("string") {
        "a text in quotes".to_owned()
    } else if expected.contains("RFC 3339") || expected.contains("date and time") {
        "a day and time such as 2026-03-06T16:00:00Z".to_owned()
    } else {
        expected.to_owned()
    }
}

/// What was given, as the parser names it: `string "warm"` is “warm”, a sequence a list.
fn given(found: &str) -> String {
    let quoted = found.split_once('"').and_then(|(_, rest)| rest.rsplit_once('"')).map(|(text, _)| text);
    let number = found.split_once('`').and_then(|(_, rest)| rest.split_once('`')).map(|(text, _)| text);
    match (quoted.or(number), found) {
        (Some(text), _) => format!("“{text}”"),
        (None, "null") => "nothing".to_owned(),
        (None, "sequence") => "a list".to_owned(),
        (None, "map") => "an object".to_owned(),
        (None, other) => other.to_owned(),
    }
}

/// The sentence for a text that is no JSON; none for one that is.
fn syntax(message: &str) -> Option<String> {
    let (what, place) = message.split_once(" at line ")?;
    let (line, column) = place.split_once(" column ")?;
    // “expected `,` or `}`”
    let missing = what.strip_prefix("expected ").filter(|what| what.starts_with('`'));
    let missing = missing.map(|what| {
        what.split('`')
            .filter(|part| !part.is_empty())
            .map(|part| if part == " or " { part.to_owned() } else { format!("“{part}”") })
            .collect::<String>()
    });
    let problem = match what {
        "EOF while parsing an object" => "the file ends inside an object; its end is missing".to_owned(),
        "EOF while parsing a list" => "the file ends inside a list; its end is missing".to_owned(),
        "EOF while parsing a string" => "the file ends inside a text; its end is missing".to_owned(),
        "EOF while parsing a value" => "the file ends where a value should be".to_owned(),
        "expected value" | "expected ident" => "there is no JSON value here".to_owned(),
        "trailing characters" => "something follows after the end; remove it".to_owned(),
        "trailing comma" => "there is a comma too many".to_owned(),
        "key must be a string" => "a name must be in double quotes".to_owned(),
        "invalid number" | "number out of range" => "this is not a number that can be read".to_owned(),
        "recursion limit exceeded" => "lists and objects are nested too deeply".to_owned(),
        what if what.starts_with("control character") => "a text has a line break or another control character in it".to_owned(),
        what if what.contains("escape") || what.contains("surrogate") || what.contains("unicode") => {
            "a text has a backslash or a letter that cannot be read".to_owned()
        }
        _ => format!("{} is missing", missing?),
    };
    Some(format!("not valid JSON, line {line}, column {column}: {problem}"))
}

/// The sentence for a parser's message at a path.
pub(crate) fn plain(path: &str, message: &str) -> String {
    if let Some(sentence) = syntax(message) {
        return sentence;
    }
    let message = message.split(" at line ").next().unwrap_or(message);
    let named = |text: &str| text.split('`').nth(1).unwrap_or_default().to_owned();
    let choices = |text: &str| text.split('`').skip(3).step_by(2).collect::<Vec<_>>().join(", ");
    if let Some(rest) = message.strip_prefix("missing field ") {
        let key = named(rest);
        let range = range(&key).map_or_else(String::new, |range| format!(", {range}"));
        return format!("{} is missing; give it as “{key}”{range}", label(&key));
    }
    if message.starts_with("unknown field ") {
        let known = choices(message);
        let right = if known.is_empty() { "leave it out".to_owned() } else { format!("known here: {known}") };
        return format!("“{}” is no field known here; {right}", named(message));
    }
    if message.starts_with("unknown variant ") {
        return format!("{}: “{}” is not one of the choices; use one of: {}", label(path), named(message), choices(message));
    }
    if message.starts_with("duplicate field ") {
        return format!("{} is given twice; keep the right one", label(&named(message)));
    }
    if let Some((found, expected)) = message.strip_prefix("invalid length ").and_then(|rest| rest.split_once(", expected ")) {
        return if expected.contains("struct") {
            format!("{}: a list was given; it must be {}", label(path), wanted(expected))
        } else {
            format!("{}: a list of {found} was given; it must be {expected}", label(path))
        };
    }
    let typed = message.strip_prefix("invalid type: ").or_else(|| message.strip_prefix("invalid value: "));
    if let Some((found, expected)) = typed.and_then(|rest| rest.split_once(", expected ")) {
        let range = range(path).map_or_else(String::new, |range| format!(", {range}"));
        return format!("{}: {} was given; it must be {}{range}", label(path), given(found), wanted(expected));
    }
    if message.contains("input contains invalid characters") || message.contains("premature end of input") {
        return format!("{}: this is no day or time; write it as 2026-03-06T16:00:00", label(path));
    }
    message.to_owned()
}

#[cfg(test)]
mod tests {
    use super::plain;

    #[test]
    fn a_parsers_sentence_becomes_a_technicians() {
        let told = [
            plain("readings[0].rpm", "invalid type: string \"fast\", expected f64 at line 3 column 9"),
            plain("engine", "missing field `cylinders` at line 1 column 4"),
            plain("motor", "unknown field `motor`, expected one of `format`, `id` at line 1 column 9"),
            plain("engine", "invalid type: sequence, expected struct Card with 12 elements"),
            plain("engine.cylinders", "invalid type: floating point `4.5`, expected u32"),
            plain(".", "invalid length 0, expected struct Case with 15 elements at line 1 column 2"),
            plain("span", "invalid length 1, expected an array of length 2"),
            plain(".", "EOF while parsing an object at line 3 column 0"),
            plain(".", "expected value at line 1 column 1"),
            plain(".", "expected `,` or `}` at line 2 column 14"),
            plain(".", "trailing characters at line 9 column 1"),
            plain("readings[0].phase", "unknown variant `during`, expected `before` or `after`"),
        ];
        insta::assert_snapshot!(told.join("\n"));
    }
}

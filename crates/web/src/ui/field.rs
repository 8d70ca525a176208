//! A question of a form as it is drawn; `macros.html` draws it.

/// A question as it is drawn.
pub struct FieldView {
    pub id: String,
    pub name: &'static str,
    pub label: &'static str,
    pub hint: String,
    pub value: String,
    pub problem: Option<String>,
    pub input: Input,
}

/// How it is answered.
pub enum Input {
    Line,
    Number,
    Moment,
    Secret,
    Lines,
    Select(Vec<Choice>),
    Tick,
    Hidden,
}

/// A choice of a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Choice {
    /// In the form.
    pub id: String,
    /// On the screen.
    pub label: String,
}

impl Choice {
    /// From the words of a closed list.
    pub fn all<T>(of: &[(T, &'static str, &'static str)]) -> Vec<Self> {
        of.iter().map(|(_, id, label)| Self { id: (*id).to_owned(), label: (*label).to_owned() }).collect()
    }

    /// The same behind “not known”.
    pub fn all_or_unknown<T>(of: &[(T, &'static str, &'static str)]) -> Vec<Self> {
        let unknown = Self { id: String::new(), label: "not known".to_owned() };
        std::iter::once(unknown).chain(Self::all(of)).collect()
    }
}

//! The code by which the first shop of an installation is set up: printed when the server starts and nobody can sign in yet, and used once.
use std::sync::{Mutex, PoisonError};
use uuid::Uuid;

/// The code, while it was not used.
#[derive(Debug, Default)]
pub struct FirstCode(Mutex<Option<String>>);

impl FirstCode {
    /// A new one; as it is printed.
    pub fn open(&self) -> String {
        let digits = Uuid::new_v4().simple().to_string().to_uppercase();
        let code = digits.get(..12).unwrap_or_default().to_owned();
        let parts: Vec<&str> = (0..3).filter_map(|part| code.get(4 * part..4 * part + 4)).collect();
        let shown = parts.join("-");
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = Some(code);
        shown
    }

    /// It can still be used.
    pub fn is_open(&self) -> bool {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).is_some()
    }

    /// Takes it, where this is it: nobody else can use it after that.
    pub fn take(&self, typed: &str) -> Option<Taken<'_>> {
        let typed: String = typed.chars().filter(char::is_ascii_alphanumeric).map(|c| c.to_ascii_uppercase()).collect();
        let mut held = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        held.take_if(|code| *code == typed).map(|code| Taken { of: self, code: Some(code) })
    }
}

/// A code in use; it is open again where nothing came of it.
#[derive(Debug)]
pub struct Taken<'a> {
    of: &'a FirstCode,
    code: Option<String>,
}

impl Taken<'_> {
    /// The shop stands: the code is gone.
    pub fn use_up(mut self) {
        self.code = None;
    }
}

impl Drop for Taken<'_> {
    fn drop(&mut self) {
        if let Some(code) = self.code.take() {
            *self.of.0.lock().unwrap_or_else(PoisonError::into_inner) = Some(code);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_is_used_once_and_is_open_again_where_nothing_came_of_it() {
        let code = FirstCode::default();
        assert!(!code.is_open() && code.take("").is_none());
        let shown = code.open();
        assert!(shown.len() == 14 && code.take("0000-0000-0000x").is_none());
        let typed = shown.to_lowercase().replace('-', " ");
        drop(code.take(&typed));
        assert!(code.is_open());
        let Some(taken) = code.take(&shown) else { panic!("the code is taken") };
        assert!(!code.is_open() && code.take(&shown).is_none());
        taken.use_up();
        assert!(!code.is_open() && code.take(&shown).is_none());
    }
}

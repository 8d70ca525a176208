//! The frame round every page.
use super::Liking;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::{Pressure, Temperature, Units};
use velvet_dial_store::Viewer;

/// What the frame round every page needs.
pub struct Chrome {
    pub title: String,
    /// Who is signed in; empty for nobody.
    pub who: String,
    /// Their key: what the browser keeps of one is not shown to another.
    pub user: String,
    pub unit: Units,
    pub night: bool,
    /// The cautions of first use are still to be read.
    pub cautions: bool,
}

impl Chrome {
    /// For a signed-in user.
    pub fn of(viewer: &Viewer, liking: Liking, title: impl Into<String>) -> Self {
        Self {
            title: title.into(),
            who: viewer.shown_name.clone(),
            user: viewer.user.to_string(),
            unit: liking.unit,
            night: liking.night,
            cautions: !viewer.cautions_read,
        }
    }

    /// For nobody in particular.
    pub fn bare(title: impl Into<String>) -> Self {
        Self { title: title.into(), who: String::new(), user: String::new(), unit: Units::default(), night: false, cautions: false }
    }

    /// Keys and what they do, the keys as markup of our own.
    pub fn keys(&self) -> Vec<(String, &'static str)> {
        let key = |text: &str| format!("<kbd>{text}</kbd>");
        let stages = Stage::ALL.len();
        vec![
            (format!("{} to {}", key("1"), key(&stages.to_string())), "go to a stage of the job"),
            (key("0"), "report"),
            (key("n"), "go to the next check"),
            (format!("{}, {}", key("t"), key("m")), "take the hold, mark the moment"),
            (key("b"), "back to the board"),
            (key("?"), "this sheet"),
        ]
    }

    /// Temperatures are in °F.
    pub fn fahrenheit(&self) -> bool {
        self.unit.temperature == Temperature::Fahrenheit
    }

    /// The units of the switch.
    pub fn units(&self) -> [Pressure; 3] {
        Pressure::ALL
    }
}

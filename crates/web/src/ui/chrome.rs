//! The frame round every page.
use super::Liking;
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::Viewer;

/// What the frame round every page needs.
pub struct Chrome {
    pub title: String,
    /// Who is signed in; empty for nobody.
    pub who: String,
    pub unit: Pressure,
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
            unit: liking.unit,
            night: liking.night,
            cautions: !viewer.cautions_read,
        }
    }

    /// For nobody in particular.
    pub fn bare(title: impl Into<String>) -> Self {
        Self { title: title.into(), who: String::new(), unit: Pressure::Kpa, night: false, cautions: false }
    }

    /// The units of the switch.
    pub fn units(&self) -> [Pressure; 3] {
        Pressure::ALL
    }
}

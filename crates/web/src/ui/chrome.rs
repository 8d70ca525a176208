//! The frame round every page.
use super::DisplayPreferences;
use velvet_dial_core::rights::{Right, Role};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::{Pressure, Temperature, Units};
use velvet_dial_store::Viewer;

/// Where a page belongs in the navigation of the shop.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    Board,
    NewJob,
    Engines,
    Gauges,
    Loggers,
    Calculators,
    Experience,
    Practice,
    Settings,
    Help,
}

impl Place {
    /// In the order of the navigation, with address and label.
    const ALL: [(Self, &'static str, &'static str); 10] = [
        (Self::Board, "/", "Board"),
        (Self::NewJob, "/jobs/new", "New job"),
        (Self::Engines, "/library", "Engines"),
        (Self::Gauges, "/gauges", "Gauges"),
        (Self::Loggers, "/rigs", "Data loggers"),
        (Self::Calculators, "/calculators", "Calculators"),
        (Self::Experience, "/learnt", "Experience"),
        (Self::Practice, "/practice", "Practice"),
        (Self::Settings, "/settings", "Settings"),
        (Self::Help, "/help", "Help"),
    ];
}

/// A link of the navigation.
pub struct PlaceLink {
    pub href: String,
    pub label: &'static str,
    pub here: bool,
}

/// What the frame round every page needs.
pub struct Chrome {
    pub title: String,
    /// Who is signed in; empty for nobody.
    pub who: String,
    /// Their key: what the browser keeps of one is not shown to another.
    pub user: String,
    pub unit: Units,
    pub night: bool,
    /// The browser is a tablet that the shop shares.
    pub tablet: bool,
    /// The cautions of first use are still to be read.
    pub cautions: bool,
    /// The entry of the navigation that this page is; none on the pages of a job.
    place: Option<Place>,
    /// What they are in the shop; none for nobody.
    role: Option<Role>,
    /// The help that belongs to the page.
    topic: Option<&'static str>,
}

impl Chrome {
    /// For a signed-in user.
    pub fn of(viewer: &Viewer, preferences: DisplayPreferences, title: impl Into<String>) -> Self {
        Self {
            title: title.into(),
            who: viewer.shown_name.clone(),
            user: viewer.user.to_string(),
            unit: preferences.unit,
            night: preferences.night,
            tablet: preferences.tablet,
            cautions: !viewer.cautions_read,
            role: Some(viewer.role),
            place: None,
            topic: None,
        }
    }

    /// For nobody in particular.
    pub fn bare(title: impl Into<String>) -> Self {
        Self {
            title: title.into(),
            who: String::new(),
            user: String::new(),
            unit: Units::default(),
            night: false,
            tablet: false,
            cautions: false,
            role: None,
            place: None,
            topic: None,
        }
    }

    /// The same page in the theme that the visitor likes.
    pub fn lit(self, preferences: DisplayPreferences) -> Self {
        Self { night: preferences.night, tablet: preferences.tablet, ..self }
    }

    /// The same page as an entry of the navigation.
    pub fn at(self, place: Place) -> Self {
        Self { place: Some(place), ..self }
    }

    /// The same page with the help that belongs to it.
    pub fn helped_by(self, topic: &'static str) -> Self {
        Self { topic: Some(topic), ..self }
    }

    /// The address of the help that belongs to the page.
    pub fn help(&self) -> String {
        self.topic.map_or_else(|| "/help".to_owned(), |topic| format!("/help/{topic}"))
    }

    /// The person who is signed in may do this without asking; the right by its word.
    pub fn may(&self, right: &str) -> bool {
        Right::parse(right).zip(self.role).is_some_and(|(right, role)| role.may_do(right))
    }

    /// The navigation, but for what the role has no use for.
    pub fn places(&self) -> impl Iterator<Item = PlaceLink> {
        let of_use = |place: &Place| match place {
            Place::NewJob => self.may(Right::Work.id()),
            Place::Practice => self.may(Right::Practise.id()),
            _ => true,
        };
        Place::ALL.into_iter().filter(move |(place, ..)| of_use(place)).map(|(place, href, label)| PlaceLink {
            href: if place == Place::Help { self.help() } else { href.to_owned() },
            label,
            here: self.place == Some(place),
        })
    }

    /// Keys and what they do, the keys as markup of our own.
    pub fn keys(&self) -> Vec<(String, &'static str)> {
        let key = |text: &str| format!("<kbd>{text}</kbd>");
        let stages = Stage::ALL.len();
        vec![
            (format!("{} to {}", key("1"), key(&stages.to_string())), "go to a stage of the job"),
            (key("0"), "report"),
            (key("n"), "go to the next check"),
            (format!("{}, {}", key("t"), key("m")), "record a steady reading, mark the moment"),
            (key("b"), "back to the board"),
            (key("?"), "show these keys"),
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

//! How somebody likes to see it.
use velvet_dial_core::unit::Units;

/// Unit and theme, from their cookies, and whether a fragment is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DisplayPreferences {
    /// Unit of pressure.
    pub unit: Units,
    /// Night bay.
    pub night: bool,
    /// The request came from htmx.
    pub fragment: bool,
    /// The browser says that it is a tablet of the shop.
    pub tablet: bool,
}

//! Adapters of the shop: which chain of them leads from the engine's port to the gauge, and what is missing where none does.
//!
//! An end fits the end of another when both say the same thread and one is male. A thread that only starts in the other and then binds is none that fits, however often it has been
//! forced in (see [`crate::calculator::which`]). The shortest chain is the best: every joint is one more place to weep.
use crate::choice::choice;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// One end of an adapter, a port or a gauge.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct End {
    /// Its thread, in the words of the thread list.
    pub thread: String,
    /// It goes into the other, not over it.
    pub male: bool,
}

impl End {
    /// A female end.
    pub fn female(thread: &str) -> Self {
        Self { thread: thread.to_owned(), male: false }
    }

    /// A male end.
    pub fn male(thread: &str) -> Self {
        Self { thread: thread.to_owned(), male: true }
    }

    fn fits(&self, other: &Self) -> bool {
        self.thread == other.thread && self.male != other.male
    }

    /// The end that fits it.
    fn mate(&self) -> Self {
        Self { thread: self.thread.clone(), male: !self.male }
    }

    /// In words.
    pub fn words(&self) -> String {
        format!("{} {}", if self.male { "male" } else { "female" }, self.thread)
    }
}

choice! {
    /// What a piece of the drawer is.
    Piece {
        /// A solid piece.
        Solid = "solid": "adapter",
        /// A hose.
        Hose = "hose": "hose",
        /// A quick coupling.
        Coupling = "coupling": "quick coupling",
    }
}
choice! {
    /// What seals its parallel ends.
    Ring {
        /// Nothing is kept for it.
        None = "none": "none",
        /// Crushed once.
        UsedUp = "used_up": "used up each time",
        /// Used again while it is whole.
        Reusable = "reusable": "used again while it is whole",
    }
}

/// An adapter.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Adapter {
    /// One end.
    pub one: End,
    /// The other.
    pub other: End,
    /// What it is.
    #[serde(default = "solid")]
    pub piece: Piece,
    /// Length of a hose, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub length_mm: Option<f64>,
    /// Bore of a hose or a coupling, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bore_mm: Option<f64>,
    /// It shuts by itself when it is parted.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub shuts: bool,
    /// What seals it.
    #[serde(default = "no_ring")]
    pub ring: Ring,
}

fn solid() -> Piece {
    Piece::Solid
}

fn no_ring() -> Ring {
    Ring::None
}

/// A hose so long and narrow lets the needle lag: its volume fills through its own bore.
const LAGS_MM: f64 = 1500.0;
const NARROW_MM: f64 = 2.5;
/// A wider bore lets much oil out at once when the line breaks.
const WIDE_MM: f64 = 6.0;

impl Adapter {
    /// A solid piece without a ring of its own.
    pub fn of(one: End, other: End) -> Self {
        Self { one, other, piece: Piece::Solid, length_mm: None, bore_mm: None, shuts: false, ring: Ring::None }
    }

    /// What the hand minds with it; empty where there is nothing.
    pub fn minds(&self) -> Vec<String> {
        let mut minds = Vec::new();
        let mut say = |so: bool, sentence: &str| minds.extend(so.then(|| sentence.to_owned()));
        let hose = self.piece == Piece::Hose;
        say(self.ring == Ring::UsedUp, "new sealing ring");
        say(self.ring == Ring::Reusable, "look at its ring");
        say(self.piece == Piece::Coupling && self.shuts, "shuts when it is parted: gauges can be changed hot");
        say(self.piece == Piece::Coupling && !self.shuts, "does not shut: stop the engine before it is parted");
        say(hose && self.length_mm.is_some_and(|mm| mm >= LAGS_MM), "long: the needle lags, bleed it well");
        say(hose && self.bore_mm.is_some_and(|mm| mm <= NARROW_MM), "narrow: calms the needle, hides its flutter");
        say(hose && self.bore_mm.is_some_and(|mm| mm >= WIDE_MM), "wide: much oil comes out if it breaks");
        minds
    }

    /// What it is, in words.
    pub fn words(&self) -> String {
        let size = |what: &str, mm: Option<f64>| mm.map(|mm| format!(", {what} {mm:.0} mm")).unwrap_or_default();
        format!(
            "{}{}{}: {} to {}",
            self.piece.label(),
            size("length", self.length_mm),
            size("bore", self.bore_mm),
            self.one.words(),
            self.other.words()
        )
    }
}

/// The way from a port to a gauge.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Chain {
    /// Through these adapters by their places in the list, from the port on; none where the gauge goes straight in.
    Through(Vec<usize>),
    /// No chain: this adapter is to be bought or made. Straight from port to gauge, since a detour over what lies in the drawer is one joint more.
    Missing {
        /// Its end towards the port.
        port: End,
        /// Its end towards the gauge.
        gauge: End,
    },
}

/// The shortest chain from a port to a gauge.
///
/// ```
/// # use velvet_dial_core::adapter::{Adapter, Chain, End, chain};
/// let shop = [Adapter::of(End::male("M10x1"), End::female("1/8 inch, 60 degree taper"))];
/// let gauge = End::male("1/8 inch, 60 degree taper");
/// assert_eq!(chain(&End::female("M10x1"), &gauge, &shop), Chain::Through(vec![0]));
/// // A lookalike is no way.
/// assert!(matches!(chain(&End::female("1/8 inch, 55 degree taper"), &gauge, &shop), Chain::Missing { .. }));
/// ```
pub fn chain(port: &End, gauge: &End, adapters: &[Adapter]) -> Chain {
    let from_port = reached(port, adapters);
    if let Some((_, way)) = from_port.iter().find(|(open, _)| open.fits(gauge)) {
        return Chain::Through(way.clone());
    }
    Chain::Missing { port: port.mate(), gauge: gauge.mate() }
}

/// Every open end that can be reached, nearest first, with the way to it.
fn reached(from: &End, adapters: &[Adapter]) -> Vec<(End, Vec<usize>)> {
    let mut found = vec![(from.clone(), Vec::new())];
    let mut queue: VecDeque<(End, Vec<usize>)> = found.iter().cloned().collect();
    while let Some((open, way)) = queue.pop_front() {
        for (place, adapter) in adapters.iter().enumerate().filter(|(place, _)| !way.contains(place)) {
            for (near, far) in [(&adapter.one, &adapter.other), (&adapter.other, &adapter.one)] {
                if open.fits(near) && !found.iter().any(|(known, _)| known == far) {
                    let mut longer = way.clone();
                    longer.push(place);
                    found.push((far.clone(), longer.clone()));
                    queue.push_back((far.clone(), longer));
                }
            }
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn end() -> impl Strategy<Value = End> {
        (0..4u8, any::<bool>()).prop_map(|(thread, male)| End { thread: format!("T{thread}"), male })
    }

    proptest! {
        /// A chain joins end to end; no shorter one does; and where none is found, none there is.
        #[test]
        fn a_chain_joins_and_is_the_shortest(port in end(), gauge in end(), ends in prop::collection::vec((end(), end()), 0..5)) {
            let shop: Vec<Adapter> = ends.into_iter().map(|(one, other)| Adapter::of(one, other)).collect();
            let joins = |way: &[usize]| {
                let mut open = vec![port.clone()];
                for place in way {
                    let adapter = &shop[*place];
                    open = open.iter().flat_map(|open| {
                        let through = |near: &End, far: &End| open.fits(near).then(|| far.clone());
                        [through(&adapter.one, &adapter.other), through(&adapter.other, &adapter.one)]
                    }).flatten().collect();
                }
                open.iter().any(|open| open.fits(&gauge))
            };
            // Every order of every few of them.
            let mut ways: Vec<Vec<usize>> = vec![Vec::new()];
            let mut start = 0;
            while start < ways.len() {
                let way = ways[start].clone();
                ways.extend((0..shop.len()).filter(|place| !way.contains(place)).map(|place| [way.clone(), vec![place]].concat()));
                start += 1;
            }
            let best = ways.iter().filter(|way| joins(way)).map(Vec::len).min();
            match chain(&port, &gauge, &shop) {
                Chain::Through(way) => { prop_assert!(joins(&way)); prop_assert_eq!(Some(way.len()), best); }
                Chain::Missing { port: near, gauge: far } => { prop_assert_eq!(best, None); prop_assert!(port.fits(&near) && gauge.fits(&far)); }
            }
        }
    }
}

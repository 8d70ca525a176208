//! Adapters of the shop: which chain of them leads from the engine's port to the gauge, and what is missing where none does.
//!
//! An end fits the end of another when both say the same thread and one is male. A thread that only starts in the other and then binds is none that fits, however often it has been
//! forced in (see [`crate::calculator::which`]). The shortest chain is the best: every joint is one more place to weep.
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

/// An adapter.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Adapter {
    /// One end.
    pub one: End,
    /// The other.
    pub other: End,
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
/// let shop = [Adapter { one: End::male("M10x1"), other: End::female("1/8 inch, 60 degree taper") }];
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
            let shop: Vec<Adapter> = ends.into_iter().map(|(one, other)| Adapter { one, other }).collect();
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

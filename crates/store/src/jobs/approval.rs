//! The customer's approval, as one state: their newest word counts.
use super::{Body, Entry, Job};

/// Where the approval of a job is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Approval<'a> {
    /// Nobody has asked, or what was written down was withdrawn.
    None,
    /// The customer approved, up to an amount where they named one.
    Approved {
        /// Its entry.
        entry: &'a Entry,
        /// In the shop's money.
        up_to: Option<f64>,
    },
    /// It is opened without asking, for a reason that is written down.
    Unasked {
        /// Its entry.
        entry: &'a Entry,
    },
    /// The customer said no: by the link, or when a finding was talked over.
    Declined {
        /// Its entry.
        entry: &'a Entry,
    },
}

impl Approval<'_> {
    /// Work of this price goes over what was approved.
    pub fn goes_over(&self, money: f64) -> Option<f64> {
        match self {
            Self::Approved { up_to: Some(up_to), .. } if money > *up_to => Some(*up_to),
            _ => None,
        }
    }
}

impl Job {
    /// The customer's approval by their newest word.
    pub fn approval(&self) -> Approval<'_> {
        let word = |entry: &&Entry| matches!(entry.body, Body::Agreed { .. } | Body::Talked { .. } | Body::Customer { said_no: true, .. });
        let newest = self.live().filter(word).max_by_key(|entry| entry.seq);
        match newest.map(|entry| (entry, &entry.body)) {
            Some((entry, Body::Customer { .. } | Body::Talked { go_on: false, .. })) => Approval::Declined { entry },
            // The talk named what the work costs by then.
            Some((entry, Body::Talked { go_on: true, .. })) => Approval::Approved { entry, up_to: None },
            _ => match self.agreed() {
                Some(entry) => match entry.body {
                    Body::Agreed { unasked: false, up_to, .. } => Approval::Approved { entry, up_to },
                    _ => Approval::Unasked { entry },
                },
                None => Approval::None,
            },
        }
    }

    /// The entry of the approval, or of the reason why nobody was asked: what the next one takes the place of.
    pub fn agreed(&self) -> Option<&Entry> {
        self.live().find(|entry| matches!(entry.body, Body::Agreed { .. }))
    }
}

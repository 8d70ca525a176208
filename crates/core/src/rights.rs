//! Who may do what in a shop: one table of roles and rights, which the people's page shows and every door goes by.
use crate::choice::choice;

choice! {
    /// What somebody is in the shop.
    Role {
        /// Learns the trade.
        Apprentice = "apprentice": "apprentice",
        /// Works on vehicles.
        Technician = "technician": "technician",
        /// Answers for the work of others.
        Foreman = "foreman": "foreman",
        /// Answers for the shop.
        Owner = "owner": "owner",
        /// Looks and writes nothing: an insurer, a fleet.
        Reader = "reader": "reader",
    }
}

choice! {
    /// Something that not everybody may do.
    Right {
        /// Look at jobs, engines and gauges.
        Look = "look": "look at jobs, engines and gauges",
        /// Open jobs, read, check, measure, repair, and write it down.
        Work = "work": "open jobs, read, check, repair, and write it down",
        /// Practise.
        Practise = "practise": "practise",
        /// Write down what lets a stopped engine run again.
        LoosenStop = "loosen_stop": "write down what lets a stopped engine run again",
        /// Run an engine that must not run, for one named test.
        Overrule = "overrule": "overrule a stop for one test",
        /// Ask the customer for their approval, and write it down.
        Approve = "approve": "ask for the customer's approval and write it down",
        /// Correct or withdraw what somebody else wrote.
        Correct = "correct": "correct or withdraw what somebody else wrote",
        /// Close a job.
        Close = "close": "close a job",
        /// Open a closed job again.
        Reopen = "reopen": "open a closed job again",
        /// See prices.
        SeeMoney = "see_money": "see what work and parts cost",
        /// Set a practice scene to others.
        SetTasks = "set_tasks": "set practice scenes to others",
        /// Gauges and adapters.
        EditGauges = "edit_gauges": "change gauges and adapters",
        /// Engines, sheets and known patterns.
        EditSheets = "edit_sheets": "change engines, sheets and known patterns",
        /// Data loggers.
        PairLoggers = "pair_loggers": "pair and unpair data loggers",
        /// Set a reading apart, so that nothing is judged by it.
        SetApart = "set_apart": "set a reading apart, or use it again",
        /// The shop's way where mechanics differ.
        ChooseWays = "choose_ways": "choose the shop's way where mechanics differ",
        /// Name, hours, money, people.
        RunShop = "run_shop": "change the shop's settings and its people",
    }
}

choice! {
    /// What the token of another program opens.
    Scope {
        /// Jobs, readings, findings, recorded runs, diagnosis.
        ReadJobs = "read_jobs": "read jobs, readings, findings and recorded runs",
        /// Open jobs; add readings, findings, notes and recorded runs.
        WriteJobs = "write_jobs": "open jobs, add readings, findings, notes and recorded runs",
        /// What a job's history says of the customer.
        ReadCustomers = "read_customers": "read names and words of customers",
        /// Reports, with the customer in them.
        ReadReports = "read_reports": "fetch reports, with the customer in them",
        /// Engines, sheets, gauges.
        ReadLibrary = "read_library": "read engines, sheets and gauges",
        /// Add engines and sheets.
        WriteLibrary = "write_library": "add engines, sheets and gauges",
        /// Practice scenes and how they went.
        ReadPractice = "read_practice": "read how practice scenes went",
    }
}

impl Scope {
    /// By its word.
    pub fn parse(id: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, word, _)| *word == id).map(|(scope, ..)| *scope)
    }

    /// The right that a program's role needs for it besides.
    pub fn right(self) -> Right {
        match self {
            Self::ReadJobs | Self::ReadCustomers | Self::ReadReports | Self::ReadLibrary => Right::Look,
            Self::WriteJobs => Right::Work,
            Self::WriteLibrary => Right::EditSheets,
            Self::ReadPractice => Right::SetTasks,
        }
    }
}

/// What a role may do with a right.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Grant {
    /// Do it.
    Yes,
    /// Ask for it: it is kept and done once a foreman says yes.
    Asks,
    /// Not at all.
    No,
}

impl Grant {
    /// In the table.
    pub fn label(self) -> &'static str {
        match self {
            Self::Yes => "yes",
            Self::Asks => "asks a foreman",
            Self::No => "no",
        }
    }
}

impl Right {
    /// By its word.
    pub fn parse(id: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, word, _)| *word == id).map(|(right, ..)| *right)
    }
}

impl Role {
    /// By its word.
    pub fn parse(id: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, word, _)| *word == id).map(|(role, ..)| *role)
    }

    /// The table.
    ///
    /// ```
    /// # use velvet_dial_core::rights::{Grant, Right, Role};
    /// assert_eq!(Role::Apprentice.may(Right::Close), Grant::Asks);
    /// assert_eq!(Role::Reader.may(Right::Work), Grant::No);
    /// ```
    pub fn may(self, right: Right) -> Grant {
        use Grant::{Asks, No, Yes};
        let [apprentice, technician, foreman, owner, reader] = match right {
            Right::Look => [Yes, Yes, Yes, Yes, Yes],
            Right::Work | Right::Practise => [Yes, Yes, Yes, Yes, No],
            Right::LoosenStop | Right::Approve | Right::Correct | Right::SetApart | Right::Close | Right::Reopen => {
                [Asks, Yes, Yes, Yes, No]
            }
            Right::Overrule => [Asks, Asks, Yes, Yes, No],
            Right::SeeMoney => [No, Yes, Yes, Yes, Yes],
            Right::SetTasks | Right::EditGauges | Right::EditSheets => [No, Yes, Yes, Yes, No],
            Right::PairLoggers | Right::ChooseWays => [No, No, Yes, Yes, No],
            Right::RunShop => [No, No, No, Yes, No],
        };
        match self {
            Self::Apprentice => apprentice,
            Self::Technician => technician,
            Self::Foreman => foreman,
            Self::Owner => owner,
            Self::Reader => reader,
        }
    }

    /// It may be done without asking.
    pub fn may_do(self, right: Right) -> bool {
        self.may(right) == Grant::Yes
    }

    /// Says yes to what others ask for.
    pub fn answers_for_others(self) -> bool {
        matches!(self, Self::Foreman | Self::Owner)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nobody_may_less_than_those_they_answer_for_and_a_reader_writes_nothing() {
        let rank = |grant: Grant| match grant {
            Grant::No => 0,
            Grant::Asks => 1,
            Grant::Yes => 2,
        };
        let ladder = [Role::Apprentice, Role::Technician, Role::Foreman, Role::Owner];
        for (right, id, label) in Right::ALL {
            assert!(!id.is_empty() && !label.is_empty());
            assert!(ladder.array_windows().all(|[low, high]| rank(low.may(*right)) <= rank(high.may(*right))), "{id}");
            // What somebody asks for, those who are asked may do.
            assert!(ladder.iter().filter(|role| role.answers_for_others()).all(|role| role.may(*right) != Grant::Asks), "{id}");
            let looks = matches!(right, Right::Look | Right::SeeMoney);
            assert_eq!(Role::Reader.may_do(*right), looks, "{id}");
            assert_ne!(Role::Reader.may(*right), Grant::Asks);
            assert!(Role::Owner.may_do(*right), "{id}");
        }
        assert!(Role::ALL.iter().all(|(role, id, _)| Role::parse(id) == Some(*role)) && Role::parse("king").is_none());
    }
}

//! A correction does not move what it corrects: sequences of findings, acts and corrections, each with the word that it must end in.
use super::entry::times;
use super::{Body, Entry, Happened, Head, Job, Repair, TakenReading};
use crate::library::Engine;
use crate::zone::Zone;
use chrono::{NaiveDateTime, TimeDelta};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::case::{Cranked, Phase, Reading};
use velvet_dial_core::circuit::Card;
use velvet_dial_core::flag::{Word, flag};
use velvet_dial_core::limits::{Point, Sheet};

fn moment(seconds: i64) -> NaiveDateTime {
    "2026-03-06T08:00:00".parse::<NaiveDateTime>().unwrap() + TimeDelta::seconds(seconds)
}

/// An engine that idles at 750 with at least 100 kPa, and wants 300 at 3000.
fn job(mut entries: Vec<Entry>) -> Job {
    times(&mut entries);
    let point = |rpm: f64, min_kpa: f64| Point { rpm, oil_temp_c: 100.0, gear: Default::default(), min_kpa: Some(min_kpa), max_kpa: None };
    let sheet = Sheet {
        source: "sheet".to_owned(),
        in_force_from: None,
        points: vec![point(750.0, 100.0), point(3000.0, 300.0)],
        torques: Vec::new(),
        ..Sheet::default()
    };
    let card = Card::of(2.0, 4, 750.0, "5W-30");
    let engine = Engine { id: Uuid::nil(), name: String::new(), card, sheets: vec![sheet], revisions: Vec::new() };
    let opened_at = moment(0);
    let head = Head { number: 1, opened_at, ..Head::default() };
    let zone = Zone::default();
    Job { head, engine, known_patterns: Vec::new(), memory: None, gauges: Vec::new(), entries, zone, record: None, judged_seq: None }
}

/// What a word of a sequence says: `read:750=140`, `check=outcome`, `repair:cause`, `crank:shows`, each with `+` for after the repair where that is asked.
fn body(word: &str) -> Body {
    let phase = if word.ends_with('+') { Phase::After } else { Phase::Before };
    let word = word.trim_end_matches('+');
    if let Some(cause) = word.strip_prefix("repair:") {
        return Body::Repair(Repair { cause: Some(cause.to_owned()), done: "done".to_owned(), follow_up: String::new(), stopgap: false });
    }
    if let Some(shows) = word.strip_prefix("crank:") {
        return Body::Cranked { outcome: Cranked::ALL.iter().find(|(_, id, _)| *id == shows).unwrap().0 };
    }
    if let Some((rpm, kpa)) = word.strip_prefix("read:").and_then(|read| read.split_once('=')) {
        let reading = Reading { phase, ..Reading::of(rpm.parse().unwrap(), 100.0, kpa.parse().unwrap()) };
        return Body::Reading(TakenReading { reading, gauge: None, capture: None, held: None });
    }
    let (check, outcome) = word.split_once('=').unwrap();
    Body::evidence(check, outcome, phase)
}

/// Entries as they are written, a minute after one another, each known by a name.
#[derive(Default)]
struct Written {
    entries: Vec<Entry>,
    /// For each name what it said first, and the entry that stands for it now.
    names: HashMap<String, (Body, Uuid)>,
}

impl Written {
    fn write(&mut self, name: &str, body: Body, supersedes: Option<Uuid>, happened: Happened) {
        let place = self.entries.len();
        let (id, written_at) = (Uuid::from_u128(place as u128 + 1), moment(60 * place as i64));
        let Happened { happened_at, time_reason } = happened;
        let said = if matches!(body, Body::Withdrawn { .. }) { self.names.get(name).unwrap().0.clone() } else { body.clone() };
        self.names.insert(name.to_owned(), (said, id));
        self.entries.push(Entry {
            id,
            seq: place as i32 + 1,
            body,
            author: Uuid::nil(),
            author_name: String::new(),
            written_at,
            happened_at: happened_at.unwrap_or(written_at),
            time_reason,
            supersedes,
        });
    }

    /// A word of a sequence: `name.fact`, a fact without a name, or a correction: `aside:name`, `again:name`, `withdraw:name`, `back:name`, `reword:name`, `change:name:fact`, `moved:name:minute`.
    fn word(&mut self, word: &str) {
        let parts: Vec<&str> = word.splitn(3, ':').collect();
        let (said, id) = match parts.get(1).and_then(|name| self.names.get(*name)) {
            Some((said, id)) => (said.clone(), Some(*id)),
            None => {
                let (name, fact) = word.split_once('.').map_or((word.to_owned(), word), |(name, fact)| (name.to_owned(), fact));
                return self.write(&name, body(fact), None, Happened::default());
            }
        };
        let (act, name, rest) = (parts[0], parts[1], parts.get(2).copied().unwrap_or_default());
        let changed = match act {
            "aside" | "again" => {
                let Body::Reading(mut taken) = said else { panic!("{word}: only a reading is ignored") };
                taken.reading.set_aside = (act == "aside").then(|| "bumped".to_owned());
                Body::Reading(taken)
            }
            "withdraw" => Body::Withdrawn { reason: "slip".to_owned() },
            "reword" => {
                let Body::Repair(repair) = said else { panic!("{word}: only a repair is reworded") };
                Body::Repair(Repair { done: format!("{} again", repair.done), ..repair })
            }
            "change" => body(rest),
            "back" | "moved" => said,
            _ => panic!("{word} is no act"),
        };
        let moved = (act == "moved").then(|| moment(60 * rest.parse::<i64>().unwrap()));
        let time_reason = if moved.is_some() { "typed late".to_owned() } else { String::new() };
        self.write(name, changed, id, Happened { happened_at: moved, time_reason });
    }
}

fn ends_in(sequence: &str) -> Word {
    let mut written = Written::default();
    sequence.split_whitespace().for_each(|word| written.word(word));
    flag(&job(written.entries).case(), None).word
}

const TABLE: &str = "
do_not_run  g.read:750=140 journal_map=one_bad
crank_first g.read:750=140 journal_map=one_bad repair:bearings_crank
crank_first g.read:750=140 journal_map=one_bad repair:bearings_crank aside:g again:g
crank_first g.read:750=140 journal_map=one_bad repair:bearings_crank change:g:read:750=141
crank_first g.read:750=140 journal_map=one_bad repair:bearings_crank withdraw:g back:g
crank_first g.read:750=140 journal_map=one_bad repair:bearings_crank crank:shows change:g:read:750=141
crank_first g.read:750=140 journal_map=one_bad repair:bearings_crank read:750=141
may_run     g.read:750=140 journal_map=one_bad repair:bearings_crank read:750=150+
may_run     g.read:750=140 journal_map=one_bad repair:bearings_crank crank:shows read:750=150+ aside:g again:g
crank_first journal_map=one_bad repair:bearings_crank h.read:750=150+ aside:h
may_run     journal_map=one_bad repair:bearings_crank h.read:750=150+ aside:h again:h
crank_first journal_map=one_bad repair:bearings_crank h.read:750=150+ withdraw:h
may_run     journal_map=one_bad repair:bearings_crank h.read:750=150+ withdraw:h back:h
crank_first journal_map=one_bad repair:bearings_crank h.read:750=150+ moved:h:-5
may_run     journal_map=one_bad repair:bearings_crank h.read:750=150+ moved:h:4
do_not_run  r.repair:bearings_crank journal_map=one_bad
do_not_run  r.repair:bearings_crank journal_map=one_bad reword:r
do_not_run  r.repair:bearings_crank journal_map=one_bad withdraw:r back:r
do_not_run  r.repair:bearings_crank journal_map=one_bad reword:r read:750=150+
do_not_run  r.repair:oil_low journal_map=one_bad change:r:repair:bearings_crank
crank_first r.repair:bearings_crank journal_map=one_bad moved:r:5
crank_first r.repair:bearings_crank j.journal_map=one_bad moved:j:-5
do_not_run  j.journal_map=one_bad r.repair:bearings_crank moved:r:-5
do_not_run  j.journal_map=one_bad r.repair:bearings_crank read:750=150+ moved:r:-5
do_not_run  j.journal_map=one_bad r.repair:bearings_crank withdraw:r
crank_first j.journal_map=one_bad r.repair:bearings_crank withdraw:r back:r
may_run     j.journal_map=one_bad withdraw:j
do_not_run  j.journal_map=one_bad withdraw:j back:j
crank_first j.journal_map=one_bad repair:bearings_crank withdraw:j back:j
may_run     j.journal_map=one_bad repair:bearings_crank read:750=150+ withdraw:j back:j
do_not_run  l.read:750=10
crank_first l.read:750=10 repair:screen_blocked
crank_first l.read:750=10 repair:screen_blocked change:l:read:750=12
crank_first l.read:750=10 repair:screen_blocked aside:l again:l
may_run     l.read:750=10 repair:screen_blocked crank:shows read:750=140+ change:l:read:750=11
may_run     l.read:750=10 repair:screen_blocked read:750=140+ aside:l again:l
do_not_run  l.read:750=10 repair:screen_blocked read:750=140+ m.read:750=10+
may_run     l.read:750=10 repair:screen_blocked read:750=140+ m.read:750=10+ withdraw:m
do_not_run  l.read:750=10 repair:screen_blocked read:750=140+ m.read:750=10+ change:m:read:750=12+
do_not_run  l.read:750=10 r.repair:screen_blocked m.read:750=10+ reword:r
crank_first c.crank:none repair:pump_unprimed withdraw:c back:c
may_run     c.crank:none repair:pump_unprimed crank:shows read:750=200+ withdraw:c back:c
do_not_run  c.crank:none r.repair:pump_unprimed crank:none reword:r
crank_first t.turn_by_hand=tight repair:bearings_crank change:t:turn_by_hand=seized
crank_first t.turn_by_hand=free repair:bearings_crank change:t:turn_by_hand=tight
do_not_run  t.turn_by_hand=tight repair:bearings_crank turn_by_hand=tight+
crank_first t.turn_by_hand=tight repair:bearings_crank turn_by_hand=free+
may_run     t.turn_by_hand=tight repair:bearings_crank turn_by_hand=free+ read:750=150+
do_not_run  n.noise=deep_knock repair:bearings_crank u.noise=deep_knock+ read:750=60+
may_run     n.noise=deep_knock repair:bearings_crank noise=none+ read:750=150+
crank_first n.noise=deep_knock repair:bearings_crank u.noise=none+
do_not_run  sump_debris=bearing_metal r.repair:oil_low read:750=150+ reword:r
";

#[test]
fn every_sequence_ends_in_its_word() {
    let rows: Vec<&str> = TABLE.lines().filter(|line| !line.is_empty()).collect();
    assert!(rows.len() >= 50, "{}", rows.len());
    let wrong: Vec<String> = rows
        .iter()
        .filter_map(|row| {
            let (word, sequence) = row.split_once(' ')?;
            let found = ends_in(sequence).id();
            (found != word).then(|| format!("{found} and not {row}"))
        })
        .collect();
    assert_eq!(wrong, Vec::<String>::new());
}

/// Facts that stop, answer and lift.
const FACTS: [&str; 16] = [
    "read:750=140",
    "read:750=140+",
    "read:3000=380+",
    "read:750=10",
    "read:750=12+",
    "journal_map=one_bad",
    "turn_by_hand=tight",
    "turn_by_hand=free+",
    "noise=deep_knock",
    "noise=none+",
    "sump_debris=bearing_metal",
    "crank:shows",
    "crank:none",
    "repair:bearings_crank",
    "repair:screen_blocked",
    "repair:pump_unprimed",
];

/// Random sequences of facts, corrections, withdrawals and corrected times: what stands in the end gives the same word as the same facts written once, in the order in which they happened.
#[test]
fn corrected_facts_are_judged_as_the_same_facts_in_true_order() {
    let mut random = ChaCha8Rng::seed_from_u64(22);
    for round in 0..10_000 {
        let mut written = Written::default();
        // For each name: what it says, when it happened, and whether it stands.
        let mut facts: Vec<(String, Body, NaiveDateTime, bool)> = Vec::new();
        for step in 0..random.random_range(4..16) {
            let act = if facts.is_empty() { 0 } else { random.random_range(0..8) };
            if act < 4 {
                let (name, fact) = (format!("f{step}"), *FACTS.choose(&mut random).unwrap());
                facts.push((name.clone(), body(fact), moment(60 * written.entries.len() as i64), true));
                written.word(&format!("{name}.{fact}"));
                continue;
            }
            let place = random.random_range(0..facts.len());
            let (name, said, at, stands) = facts.get_mut(place).unwrap();
            let reading = matches!(said, Body::Reading(_));
            match (act, *stands) {
                (4, true) if reading => written.word(&format!("aside:{name}")),
                (5, true) if reading => written.word(&format!("again:{name}")),
                (6, true) => {
                    // A second that nothing else happened in.
                    let minute = random.random_range(-20..20);
                    written.word(&format!("moved:{name}:{minute}"));
                    *at = moment(60 * minute);
                    if let Some(entry) = written.entries.last_mut() {
                        entry.happened_at += TimeDelta::seconds(i64::from(step) + 1);
                        *at = entry.happened_at;
                    }
                }
                (7, true) => (written.word(&format!("withdraw:{name}")), *stands = false).0,
                (_, false) => (written.word(&format!("back:{name}")), *stands = true).0,
                _ => written.word(&format!("back:{name}")),
            }
            *said = written.names.get(name.as_str()).unwrap().0.clone();
        }
        facts.retain(|(.., stands)| *stands);
        facts.sort_by_key(|(_, _, at, _)| *at);
        let mut plain = Written::default();
        for (name, said, at, _) in facts {
            plain.write(&name, said, None, Happened { happened_at: Some(at), time_reason: String::new() });
        }
        let sequence: Vec<String> = written.entries.iter().map(|entry| format!("{:?} at {}", entry.body, entry.happened_at)).collect();
        let (corrected, true_order) = (job(written.entries).case(), job(plain.entries).case());
        assert_eq!(flag(&corrected, None).word, flag(&true_order, None).word, "round {round}: {sequence:#?}");
    }
}

/// A journal that is measured again after the repair stands beside what it was: the fault is judged by the one, the repair by the other.
#[test]
fn a_figure_after_the_repair_leaves_the_one_before() {
    use velvet_dial_core::strip_down::{Condition, JournalKind, JournalSaid};
    let entry = |seq: i32, body: Body, supersedes: Option<Uuid>| Entry {
        id: Uuid::from_u128(seq as u128),
        seq,
        body,
        author: Uuid::nil(),
        author_name: String::new(),
        written_at: moment(60 * i64::from(seq)),
        happened_at: moment(60 * i64::from(seq)),
        time_reason: String::new(),
        supersedes,
    };
    let journal = |condition| Body::Journal { said: JournalSaid { condition: Some(condition), ..JournalSaid::of(JournalKind::Main, 3) } };
    let scored = entry(1, journal(Condition::Scored), None);
    let outcomes = |job: &Job| -> Vec<(String, Option<Phase>)> {
        job.case().evidence.iter().filter(|entry| entry.check == "strip_gauge").map(|entry| (entry.outcome.clone(), entry.phase)).collect()
    };
    let before = job(vec![scored.clone()]);
    let found = outcomes(&before);
    assert!(!found.is_empty() && found.iter().all(|(_, phase)| phase.is_none()), "{found:?}");
    // Corrected before the repair, it is what was found.
    let corrected = job(vec![scored.clone(), entry(2, journal(Condition::Good), Some(scored.id))]);
    assert!(outcomes(&corrected).iter().all(|outcome| !found.contains(outcome)), "{:?}", outcomes(&corrected));
    let repair = entry(2, body("repair:bearings_crank"), None);
    let after = job(vec![scored.clone(), repair, entry(3, journal(Condition::Good), Some(scored.id))]);
    assert_eq!(after.case().strip_down.journals.len(), 1);
    assert_eq!(after.case().strip_down.journals[0].condition, Some(Condition::Scored), "what was found stays");
    assert!(found.iter().all(|outcome| outcomes(&after).contains(outcome)), "{:?}", outcomes(&after));
    assert_eq!(after.figures_after().len(), 1);
}

//! A report's record: it says what the diagnosis says, in the case's order, and comes back from its text as it was.
use crate::support::{known, with};
use chrono::TimeDelta;
use proptest::prelude::*;
use serde_json::json;
use velvet_dial_core::case::{Case, Phase, parse, spec_points};
use velvet_dial_core::diagnosis::SPEEDS;
use velvet_dial_core::diagnosis::{Diagnosis, Setting, diagnose};
use velvet_dial_core::experience::Known;
use velvet_dial_core::knowledge::{fingerprint, knowledge};
use velvet_dial_core::limits::{Decision, overall};
use velvet_dial_core::record::{FORMAT, Ledger, Line, Papers, Record, Recording, RepairSaid, Taken, record};
use velvet_dial_core::trace::Tracer;

/// A repair by its cause: `?` is one that is not on the list, and `!` before it a stopgap.
fn repair(cause: &str, minute: i64) -> RepairSaid {
    let id = cause.trim_start_matches('!');
    let known = knowledge().cause(id).map(|index| &knowledge().causes[index]);
    RepairSaid {
        cause: known.map_or("Not a cause of the list".into(), |cause| cause.name.clone()),
        id: known.map(|cause| cause.id.clone()),
        stopgap: cause.starts_with('!'),
        in_vain: None,
        done: "New seal".into(),
        follow_up: String::new(),
        who: "z".into(),
        at: papers().opened_at + TimeDelta::minutes(minute),
    }
}

fn made(case: &Case) -> (Diagnosis, Record) {
    made_with(case, &[("?", 0)], None)
}

fn papers() -> Papers {
    Papers {
        shop: "Skerry Lane".into(),
        zone: "UTC".into(),
        number: 7,
        opened_at: "2026-11-01T08:00:00Z".parse().unwrap(),
        closed_at: None,
        tag: "TUG 4".into(),
        description: "Tug".into(),
        engine: "Quayside".into(),
        complaint: "Lamp at stops".into(),
        customer: String::new(),
        odometer_km: Some(18_240.0),
        on_it: String::new(),
        came_back_of: None,
        recheck_at: None,
        code: String::new(),
    }
}

/// The record of one case, worked out once: where what was measured is not what is looked at.
fn plain_record(case: &Case) -> Record {
    static RECORD: std::sync::OnceLock<Record> = std::sync::OnceLock::new();
    RECORD.get_or_init(|| made(case).1).clone()
}

/// A record of a case with these repairs, each by its cause and the minute it was done, and how the cause is known.
fn made_with(case: &Case, repairs: &[(&str, i64)], known: Option<Known>) -> (Diagnosis, Record) {
    let tracer = Tracer::new(&case.engine, &spec_points(case)).unwrap();
    let now = diagnose(case, &tracer, &Setting::default());
    let at = papers().opened_at;
    let ledger = Ledger {
        papers: papers(),
        other_sheets: case.spec.iter().cloned().collect(),
        taken: case.readings.iter().enumerate().map(|(i, _)| Taken { who: format!("hand {i}"), at, of_run: None }).collect(),
        repairs: repairs.iter().map(|(cause, minute)| repair(cause, *minute)).collect(),
        known,
        recordings: vec![Recording { id: "7".into(), name: "run.csv".into(), digest: "ab".into(), also_in: vec![3] }],
        log: vec![Line {
            what: "told".into(),
            kpa: None,
            place: None,
            figures: false,
            who: "z".into(),
            at,
            written_at: None,
            struck: false,
            reason: String::new(),
            photo: None,
            note: false,
            personal: false,
        }],
    };
    let record = record(case, &now, &tracer, ledger);
    (now, record)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn a_record_says_what_the_diagnosis_says(
        kpa in prop::collection::vec((20.0..600.0f64, any::<bool>(), 0..3usize), 1..7),
        sheet in any::<bool>(),
    ) {
        let place = [(780.0, 98.0), (2000.0, 99.0), (3000.0, 100.0)];
        let file = with(|v| {
            v["readings"] = kpa.iter().map(|(kpa, after, at)| {
                let (rpm, temp) = place[*at];
                json!({ "rpm": rpm, "oil_temp_c": temp, "kpa": kpa, "phase": if *after { "after" } else { "before" } })
            }).collect();
            if !sheet {
                v["spec"] = json!(null);
            }
        });
        let case = parse(file.to_string().as_bytes()).unwrap();
        let (now, record) = made(&case);
        let text = serde_json::to_string(&record).unwrap();
        prop_assert_eq!(&serde_json::from_str::<Record>(&text).unwrap(), &record, "it comes back as it was");
        prop_assert_eq!((record.format.as_str(), record.knowledge.as_str()), (FORMAT, fingerprint()));
        prop_assert_eq!(&record.case, &case);
        prop_assert_eq!(record.rule_of_thumb, !sheet);
        // Reading by reading, in the case's order, with who took it.
        prop_assert_eq!(record.readings.len(), case.readings.len());
        for (place, said) in record.readings.iter().enumerate() {
            prop_assert_eq!((said.reading, said.who.clone()), (place, format!("hand {place}")));
            prop_assert_eq!(said.judged.decision, now.readings[place].decision);
        }
        // Line by line: before and after of the record are those of verdict and proof, and give the same overall.
        let side = |after: bool| record.points.iter().map(move |point| if after { point.after } else { point.before });
        if sheet {
            prop_assert_eq!(record.points.len(), case.spec.as_ref().unwrap().points.len());
            for after in [false, true] {
                let told = overall(side(after).map(|judged| judged.map_or(Decision::NotMeasured, |judged| judged.decision)));
                prop_assert_eq!(told, if after { record.proof } else { record.verdict });
            }
        }
        // Leaders in order, and a curve of each speed for the first of them.
        prop_assert!(record.causes.windows(2).all(|pair| pair[0].probability >= pair[1].probability));
        prop_assert!(record.curves.iter().all(|curve| curve.kpa.len() == SPEEDS.len()));
        prop_assert!(record.curves[0].is_healthy());
        for curve in &record.curves {
            let middle = curve.kpa.iter().zip(&curve.band);
            prop_assert!(curve.band.len() == SPEEDS.len() && middle.clone().all(|(kpa, [low, high])| low <= kpa && kpa <= high), "{}", curve.cause);
            prop_assert!(curve.is_healthy() || record.causes.iter().any(|cause| cause.id == curve.cause && cause.probability >= 0.05));
        }
        prop_assert!((0.0..=1.0).contains(&record.sound));
    }
}

/// What the customer reads, for each way a job can stand: words go by how it is known.
#[test]
fn the_plain_words_follow_what_was_measured_found_and_proven() {
    let low = [(750.0, 40.0, "before", 1), (3000.0, 200.0, "before", 2)];
    let mended = [low[0], low[1], (750.0, 190.0, "after", 60), (3000.0, 430.0, "after", 61)];
    let half = [low[0], (750.0, 190.0, "after", 60)];
    let still = [low[0], (750.0, 41.0, "after", 60)];
    let twice = [low[0], low[1], (750.0, 45.0, "after", 30), (750.0, 190.0, "after", 60), (3000.0, 430.0, "after", 61)];
    let pickup = "air drawn in at the pickup joint";
    type Read = (f64, f64, &'static str, i64);
    type Row<'a> = (&'a [Read], &'a [(&'a str, i64)], Option<Known>, &'a [&'a str], &'a [&'a str]);
    let rows: [Row<'_>; 14] = [
        (&low, &[], None, &["was too low", "Most likely so far", "Nothing has been repaired yet"], &["What was wrong"]),
        (&[(3000.0, 900.0, "before", 1)], &[], None, &["was too high"], &[]),
        (&[], &[], None, &["has not yet been measured"], &[]),
        (&mended, &[("pickup_air", 20)], None, &["What was wrong: ", pickup, "every point was read again", "it is proven"], &["supposed"]),
        (&mended, &[("pickup_air", 20)], Some(Known::Seen), &["What was wrong: ", "seen with the engine open", "it is proven"], &[]),
        (&low, &[("pickup_air", 20)], Some(Known::Seen), &["What was found: ", "seen with the engine open"], &["What was wrong"]),
        (
            &half,
            &[("pickup_air", 20)],
            Some(Known::CameBack),
            &["proof in part", "The pressure came back", "3000 rpm is on the sheet and was not read"],
            &["What was wrong"],
        ),
        (
            &half,
            &[("pickup_air", 20)],
            Some(Known::Supposed),
            &["It is supposed that this was the fault"],
            &["What was wrong", "came back"],
        ),
        (
            &still,
            &[("pickup_air", 20)],
            None,
            &["not yet proven that this was the fault", "it is not proven", "Idle is still below its limit"],
            &["What was wrong"],
        ),
        (&mended, &[("?", 20)], None, &["every point was read again"], &[]),
        (
            &mended,
            &[("pickup_air", 20), ("pump_worn", 21)],
            None,
            &["Repaired together: ", "One of these was the fault"],
            &["What was wrong"],
        ),
        (
            &twice,
            &[("pump_worn", 20), ("pickup_air", 40)],
            None,
            &["Repaired first, and not enough: oil pump worn", "What was wrong: ", pickup],
            &["One of these"],
        ),
        (
            &mended,
            &[("!bearings_crank", 20)],
            None,
            &["A stopgap was used: New seal.", "does not remove it", "The fault itself is still there"],
            &["What was wrong", "it is proven"],
        ),
        (
            &low,
            &[("pickup_air", 20)],
            None,
            &[
                "Replaced before this visit for the same complaint, without result: sender (by another workshop) and filter.",
                "Replaced before this visit for the same complaint. Oil: better for a while.",
            ],
            &[],
        ),
    ];
    for (read, repairs, known, says, never) in rows {
        let case = parse(
            with(|v| {
                let reading = |(rpm, kpa, phase, minute): &Read| {
                    json!({ "rpm": rpm, "oil_temp_c": 100, "kpa": kpa, "phase": phase, "at": papers().opened_at + TimeDelta::minutes(*minute) })
                };
                v["readings"] = read.iter().map(reading).collect();
                v["circumstances"] = json!(["sender_already_replaced", "filter_already_replaced", "oil_already_changed"]);
                v["replaced"] = json!([
                    { "circumstance": "sender_already_replaced", "by": "workshop", "effect": "no_change" },
                    { "circumstance": "oil_already_changed", "effect": "better_for_a_while" },
                ]);
                let act = |(cause, minute): &(&str, i64)| {
                    let at = papers().opened_at + TimeDelta::minutes(*minute);
                    json!({ "act": "repair", "cause": cause.trim_start_matches('!'), "stopgap": cause.starts_with('!'), "at": at })
                };
                v["acts"] = repairs.iter().filter(|(cause, _)| *cause != "?").map(act).collect();
            })
            .to_string()
            .as_bytes(),
        )
        .unwrap();
        let told = made_with(&case, repairs, known).1.plain.join(" ");
        for sentence in says {
            assert!(told.to_lowercase().contains(&sentence.to_lowercase()), "{told} lacks “{sentence}”");
        }
        for sentence in never {
            assert!(!told.contains(sentence), "{told} says “{sentence}”");
        }
    }
}

/// Nothing is called proven that was not: each thing that is missing or otherwise is named, and worse is told from not mended.
#[test]
fn a_proof_names_what_is_missing() {
    let read = |rpm: f64, kpa: f64, more: serde_json::Value| {
        let mut reading = json!({ "rpm": rpm, "oil_temp_c": 100, "kpa": kpa, "instrument": "g1" });
        reading.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        reading
    };
    let (before, after) = (json!({}), json!({ "phase": "after" }));
    let came = [read(750.0, 40.0, before.clone()), read(3000.0, 200.0, before.clone())];
    let good = [read(750.0, 190.0, after.clone()), read(3000.0, 430.0, after.clone())];
    let told = |then: &[serde_json::Value], change: &dyn Fn(&mut serde_json::Value)| {
        let readings: Vec<serde_json::Value> = came.iter().chain(then).cloned().collect();
        let (case, now) = known(&with(|case| {
            case["readings"] = json!(readings);
            case["acts"] = json!([{ "act": "repair", "cause": "pickup_air" }]);
            case["instruments"]["g2"] = case["instruments"]["g1"].clone();
            case["instruments"]["g2"]["class_percent"] = json!(2.5);
            change(case);
        }));
        velvet_dial_core::diagnosis::proof(&case, &now).unwrap()
    };
    let nothing = |_: &mut serde_json::Value| {};
    use velvet_dial_core::diagnosis::ProofWord::*;
    assert_eq!((told(&good, &nothing).word, told(&good, &nothing).says), (Proven, Vec::new()));
    type Change<'a> = &'a dyn Fn(&mut serde_json::Value);
    let rows: [(&[serde_json::Value], Change<'_>, _, &str); 8] = [
        (&[], &nothing, NotProven, "half a proof"),
        (&good[..1], &nothing, InPart, "3000 rpm was read before and not after"),
        (&[good[0].clone(), read(3000.0, 200.0, after.clone())], &nothing, NotProven, "3000 rpm is still below"),
        (&[read(750.0, 5.0, after.clone()), good[1].clone()], &nothing, Worse, "Idle is further outside its limit than before"),
        (&[good[0].clone(), read(3000.0, 430.0, json!({ "phase": "after", "instrument": "g2" }))], &nothing, InPart, "coarser gauge"),
        (&[good[0].clone(), read(3000.0, 303.0, after.clone())], &nothing, InPart, "the gauge cannot decide"),
        (&good, &|case| case["circumstances"] = json!(["on_slope"]), InPart, "condition of the complaint was not read after"),
        (&good, &|case| case["spec"] = json!(null), InPart, "no pass for a warranty"),
    ];
    for (then, change, word, sentence) in rows {
        let proof = told(then, change);
        assert!(proof.word == word && proof.says.iter().any(|said| said.contains(sentence)), "{sentence}: {proof:?}");
    }
}

/// Decisions and words of the flag are written with the same ids that are read.
#[test]
fn every_word_of_a_record_is_read_back_by_its_id() {
    for (decision, id) in Decision::ALL {
        assert_eq!((decision.id(), serde_json::to_value(decision).unwrap()), (id, json!(id)));
        assert_eq!(serde_json::from_value::<Decision>(json!(id)).unwrap(), decision);
    }
    for (word, id) in velvet_dial_core::flag::Word::ALL {
        assert_eq!((word.id(), serde_json::to_value(word).unwrap()), (id, json!(id)));
    }
    let case = parse(with(|v| v["readings"][0]["phase"] = json!("after")).to_string().as_bytes()).unwrap();
    let (_, record) = made(&case);
    assert!(record.case.readings.iter().any(|reading| reading.phase == Phase::After));
    assert_eq!(fingerprint().len(), 16);
}

/// A sealed report holds as it was made; with any one byte of it changed it does not, whichever byte that is.
#[test]
fn a_report_with_one_byte_changed_is_told() {
    use velvet_dial_core::record::Record;
    use velvet_dial_core::record::{Chained, Signed};
    use velvet_dial_core::signing::{SealError, Signer, head, public_keys, seal, sign, verify};
    let sealed = |mut record: Record, job: &str, entries: Vec<Chained>| seal(&mut record, job, entries).map(|()| record);
    let case = parse(with(|_| {}).to_string().as_bytes()).unwrap();
    let entry = |seq: i32, body: &str| Chained {
        id: format!("key {seq}"),
        seq,
        kind: "evidence".to_owned(),
        body: body.to_owned(),
        author: "ines".to_owned(),
        at: "2026-11-20T10:00:00Z".parse().unwrap(),
        supersedes: None,
        chain: String::new(),
    };
    let mut entries: Vec<Chained> = (1..=4).map(|seq| entry(seq, &format!("{{\"seq\":{seq}}}"))).collect();
    let mut before = "job".to_owned();
    for entry in &mut entries {
        before = entry.after(&before);
        entry.chain.clone_from(&before);
    }
    let mut record = made(&case).1;
    "Lysander Quill".clone_into(&mut record.papers.customer);
    record.log[0].personal = true;
    record.take_out_personal("ab".repeat(16));
    let record = sealed(record, "job", entries.clone()).unwrap();
    let text = serde_json::to_vec(&record).unwrap();
    let held = verify(&text).unwrap();
    assert_eq!((held.entries, held.unchained, held.figures, held.head == before), (4, 0, true, true));
    assert_eq!(held.signed_by, None);
    // Signed it holds as well, for the key that signed it; the hash of its text is the same.
    let signer = Signer::of_seed(&[7; 32]);
    let mut signed = record.clone();
    sign(&mut signed, &signer);
    assert_eq!(signed.seal.as_ref().unwrap().document, record.seal.as_ref().unwrap().document);
    let text = serde_json::to_vec(&signed).unwrap();
    assert_eq!(verify(&text).unwrap().signed_by, Some(signer.key()));
    // In another's name, and with another report's signature.
    for (key, hash) in [(Signer::of_seed(&[8; 32]).key(), None), (signer.key(), Some("another"))] {
        let mut forged = signed.clone();
        let seal = forged.seal.as_mut().unwrap();
        let value = hash.map_or_else(|| signer.sign(&seal.document).value, |hash| signer.sign(hash).value);
        seal.signed = Some(Signed { key, value });
        assert_eq!(verify(&serde_json::to_vec(&forged).unwrap()), Err(SealError::Signature));
    }
    // The key comes back from where it is kept, and its public half says the same.
    let again = Signer::of_pem(&signer.to_pem().unwrap()).unwrap();
    let both = format!("{}{}", again.public_pem().unwrap(), Signer::of_seed(&[8; 32]).public_pem().unwrap());
    assert_eq!((again.key(), public_keys(&both).unwrap()), (signer.key(), vec![signer.key(), Signer::of_seed(&[8; 32]).key()]));
    assert!(Signer::of_pem("x").is_err() && public_keys(&signer.to_pem().unwrap()).is_err() && public_keys("").is_err());
    for place in (0..text.len()).step_by(text.len() / 400) {
        let mut changed = text.clone();
        changed[place] ^= 1;
        assert!(
            verify(&changed).is_err(),
            "byte {place}: {}",
            String::from_utf8_lossy(&changed[place.saturating_sub(30)..(place + 30).min(text.len())])
        );
    }
    // What an entry said, one that is gone, two that changed places, one that was slipped in.
    type Meddled = fn(&mut Vec<Chained>);
    let meddled: [(Meddled, i32); 4] = [
        (|all| all[1].body.push(' '), 2),
        (|all| drop(all.remove(1)), 3),
        (|all| all.swap(1, 2), 3),
        (|all| all.insert(2, all[0].clone()), 1),
    ];
    for (meddle, seq) in meddled {
        let mut all = entries.clone();
        meddle(&mut all);
        assert_eq!(head("job", &all), Err(SealError::Chain { seq }));
        assert!(sealed(record.clone(), "job", all).is_err());
    }
    // Figures that are not the case's own are told even where every hash was made anew.
    let mut nicer = record.clone();
    nicer.readings[0].judged.measured_kpa += 60.0;
    let nicer = sealed(nicer, "job", entries.clone()).unwrap();
    assert!(matches!(verify(&serde_json::to_vec(&nicer).unwrap()), Err(SealError::Figures(_))));
    let mut older = record;
    older.knowledge = "another".to_owned();
    let older = sealed(older, "job", entries).unwrap();
    assert!(!verify(&serde_json::to_vec(&older).unwrap()).unwrap().figures, "said, and not worked out in silence");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever is said of a customer comes back as it was said, also where it looks like a hash; once it is removed nothing of it is left, and what is signed holds both times.
    #[test]
    fn what_is_said_of_a_customer_comes_back_or_is_gone(
        customer in "[ -~]{0,40}|commitment:[0-9a-f]{64}",
        lines in prop::collection::vec(("[ -~éß中\u{202e}]{0,40}|commitment:[0-9a-f]{64}", "[ -~]{0,12}", any::<bool>()), 0..6),
    ) {
        use velvet_dial_core::signing::{Depth, Signer, document_of, is_commitment, seal, sign, verified, without_customer};
        let case = parse(with(|_| {}).to_string().as_bytes()).unwrap();
        let mut clear = plain_record(&case);
        clear.papers.customer = customer;
        let line = clear.log[0].clone();
        clear.log = lines.iter().map(|(what, reason, _)| Line { what: what.clone(), reason: reason.clone(), ..line.clone() }).collect();
        let mut kept = clear.clone();
        for (line, (.., personal)) in kept.log.iter_mut().zip(&lines) {
            line.personal = *personal;
        }
        kept.take_out_personal("ef".repeat(16));
        seal(&mut kept, "job", Vec::new()).unwrap();
        sign(&mut kept, &Signer::of_seed(&[7; 32]));
        let text = serde_json::to_string(&kept).unwrap();
        let (read, held) = verified(text.as_bytes(), Depth::Seal).unwrap();
        prop_assert_eq!((&read.papers, &read.log), (&clear.papers, &clear.log));
        prop_assert!(!held.customer_removed);
        let gone = without_customer(&text).unwrap();
        prop_assert_eq!(document_of(gone.as_bytes()).unwrap(), document_of(text.as_bytes()).unwrap());
        let (read, _) = verified(gone.as_bytes(), Depth::Seal).unwrap();
        for (place, (what, reason, personal)) in lines.iter().enumerate() {
            let left = (&read.log[place].what, &read.log[place].reason);
            let counts = *personal || is_commitment(what);
            prop_assert!(!counts || [what, reason].iter().all(|said| said.is_empty()) || left != (what, reason), "{left:?}");
            prop_assert!(counts || left == (what, reason));
        }
        prop_assert!(clear.papers.customer.is_empty() || read.papers.customer != clear.papers.customer);
    }
}

/// The customer is taken out of a signed report, and it holds as before; what is said of them in between cannot be changed, nor taken out bit by bit.
#[test]
fn a_report_holds_without_its_customer() {
    use velvet_dial_core::signing::{Depth, REMOVED, SealError, Signer, seal, sign, verified, without_customer};
    let case = parse(with(|_| {}).to_string().as_bytes()).unwrap();
    let clear = Record { papers: Papers { customer: "Lysander Quill, \"ext. 12\"".into(), ..papers() }, ..made(&case).1 };
    let mut kept = clear.clone();
    kept.log[0].personal = true;
    kept.take_out_personal("cd".repeat(16));
    seal(&mut kept, "job", Vec::new()).unwrap();
    sign(&mut kept, &Signer::of_seed(&[7; 32]));
    let text = serde_json::to_string(&kept).unwrap();
    let hash = |text: &str| velvet_dial_core::signing::document_of(text.as_bytes()).unwrap();
    let (read, held) = verified(text.as_bytes(), Depth::Seal).unwrap();
    assert_eq!((&read.papers.customer, &read.log[0].what), (&clear.papers.customer, &clear.log[0].what));
    assert!(!held.customer_removed && held.signed_by.is_some());
    let gone = without_customer(&text).unwrap();
    assert!(!gone.contains("Lysander") && !gone.contains("told") && hash(&gone) == hash(&text));
    let (read, held) = verified(gone.as_bytes(), Depth::Seal).unwrap();
    assert_eq!((read.papers.customer.as_str(), read.log[0].what.as_str()), (REMOVED, REMOVED));
    assert!(held.customer_removed && held.signed_by.is_some());
    assert_eq!(without_customer(&gone), Ok(gone));
    for (from, to, why) in [
        ("Lysander Quill", "Mo Quill", SealError::Personal),
        ("/log/0/what", "/log/0/reason", SealError::Personal),
        (&*"cd".repeat(16), "cd", SealError::Personal),
        ("commitment:", "commitment:0", SealError::Document),
        // One value taken away, and the others left.
        (r#""/log/0/what":"told","#, "", SealError::Personal),
    ] {
        assert_eq!(verified(text.replacen(from, to, 1).as_bytes(), Depth::Seal).map(drop), Err(why), "{from}");
    }
    let older = text.replace(velvet_dial_core::record::FORMAT, "velvet-dial.report/2");
    assert_eq!(without_customer(&older), Err(SealError::Named));
}

/// Reports that were given out hold for ever, whatever a later program works out.
#[test]
fn reports_of_before_still_hold() {
    for (text, signed) in [
        (include_str!("golden/report-1.json"), true),
        (include_str!("golden/report-2.json"), true),
        (include_str!("golden/report-3.json"), true),
    ] {
        let held = velvet_dial_core::signing::verify(text.as_bytes()).unwrap();
        assert_eq!((held.signed_by.is_some(), held.draft, held.unchained), (signed, false, 0));
        let changed = text.replacen("\"kpa\":1", "\"kpa\":2", 1);
        assert!(changed != text && velvet_dial_core::signing::verify(changed.as_bytes()).is_err());
    }
}

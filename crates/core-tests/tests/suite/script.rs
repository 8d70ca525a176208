//! The run as a script: what it asks of whom, that it is answered by what is read, and that it ends.
use crate::support::{case, with};
use serde_json::json;
use velvet_dial_core::case::{Case, Evidence, Phase, Reading, Slope};
use velvet_dial_core::script::{now, script};
use velvet_dial_core::unit::Gear;

fn ids(case: &Case, phase: Phase) -> Vec<String> {
    script(case, phase).into_iter().map(|point| point.id).collect()
}

fn fresh(circumstances: &[&str], gear: &str) -> Case {
    case(&with(|case| {
        case["readings"] = json!([]);
        case["circumstances"] = json!(circumstances);
        case["spec"]["points"][0]["gear"] = json!(gear);
    }))
}

#[test]
fn it_asks_what_sheet_and_complaint_ask() {
    let plain = ["cold-start", "cold-idle", "warm-up", "hot-idle", "held-3000", "sweep", "idle-again"];
    assert_eq!(ids(&fresh(&[], "neutral"), Phase::Before), plain);
    assert_eq!(
        ids(&fresh(&[], "neutral"), Phase::After),
        ["hot-idle", "held-3000", "idle-again"],
        "the very points again, none that needs a cold engine"
    );
    for (told, gear, more) in [
        (vec!["lamp_at_idle"], "neutral", vec!["in-gear"]),
        (vec![], "drive", vec!["in-gear"]),
        (vec!["on_slope"], "neutral", vec!["nose-up", "nose-down"]),
        (vec!["in_bend"], "neutral", vec!["nose-up", "nose-down"]),
        (vec!["after_distance"], "neutral", vec!["distance"]),
        (vec!["knock"], "neutral", vec![]),
    ] {
        let asked = ids(&fresh(&told, gear), Phase::Before);
        let beyond: Vec<&str> = asked.iter().map(String::as_str).filter(|id| !plain.contains(id)).collect();
        assert_eq!(beyond, more, "{told:?} {gear}");
    }
    let mut bare = fresh(&[], "neutral");
    bare.spec = None;
    assert!(ids(&bare, Phase::Before).iter().any(|id| id == "held-2000"), "without a sheet the usual speeds");
    bare.engine.rated_rpm = Some(1800.0);
    let held: Vec<String> = ids(&bare, Phase::Before).into_iter().filter(|id| id.starts_with("held")).collect();
    assert_eq!(held, ["held-1100"], "and of a slow engine a share of its rated speed");
}

/// Whoever does each point as it comes is asked each once, and then nothing more; what is read cold is not asked for once it is hot.
#[test]
fn doing_each_point_as_it_comes_ends_it() {
    for phase in [Phase::Before, Phase::After] {
        let mut job = fresh(&["lamp_at_idle", "on_slope", "after_distance"], "neutral");
        let all = script(&job, phase).len();
        let mut asked = Vec::new();
        while let Some(point) = now(&script(&job, phase), false).cloned() {
            assert!(!asked.contains(&point.id), "{} is asked twice", point.id);
            assert!(!point.act.is_empty() && !point.title.is_empty());
            if let Some(check) = point.check {
                let outcome = velvet_dial_core::knowledge::knowledge().check(check).unwrap().outcomes.first().unwrap().id.clone();
                job.evidence.push(Evidence::of(check, &outcome));
            } else {
                let cold = point.id == "cold-idle";
                let hold_s = (point.id == "distance").then_some(600.0);
                let rpm = point.rpm.unwrap_or(job.engine.idle_rpm);
                job.readings.push(Reading {
                    gear: point.gear,
                    slope: point.slope,
                    phase,
                    hold_s,
                    ..Reading::of(rpm, if cold { 20.0 } else { 95.0 }, 200.0)
                });
            }
            asked.push(point.id);
        }
        // One hot reading warms it up and reads an idle at once.
        assert!(asked.len() + 1 >= all && script(&job, phase).iter().all(|point| point.done), "{asked:?}");
    }
    let mut hot = fresh(&[], "neutral");
    hot.readings.push(Reading::of(750.0, 95.0, 120.0));
    let points = script(&hot, Phase::Before);
    assert_eq!(now(&points, true).map(|point| point.id.as_str()), Some("held-3000"), "the engine is hot: nothing cold is asked for");
    hot.readings.push(Reading { set_aside: Some("peak held".into()), ..Reading::of(3000.0, 95.0, 120.0) });
    assert_eq!(
        now(&script(&hot, Phase::Before), true).map(|point| point.id.as_str()),
        Some("held-3000"),
        "what is set aside answers nothing"
    );
    hot.readings.push(Reading { slope: Some(Slope::NoseUp), gear: Gear::Neutral, ..Reading::of(3000.0, 95.0, 300.0) });
    assert!(script(&hot, Phase::Before).iter().any(|point| point.id == "held-3000" && !point.done), "on a slope it is another point");
}

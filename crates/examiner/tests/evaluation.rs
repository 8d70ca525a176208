//! The evaluation itself: repeatable, its counts consistent, its figures those of its cases. How good they are is for docs/evaluation.md to say.
use std::sync::LazyLock;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_examiner::{Evaluation, Options, SHOWN_BY_PRESSURE, Tally, believed, believes, evaluate};

/// One engine of each rival, drawn by a seed that both tests share.
static OTHER: LazyLock<Evaluation> = LazyLock::new(|| evaluate(Options { seed: 3, engines: 1, ..Options::default() }));

#[test]
fn an_evaluation_is_its_seed_and_its_counts_add_up() {
    let options = Options { seed: 7, engines: 1, ..Options::default() };
    let one = evaluate(options);
    assert_eq!(one, evaluate(options), "the same seed gives the same figures");
    assert_ne!(one.causes, OTHER.causes, "and another seed others");
    let ordered =
        |tally: &Tally| tally.first <= tally.first_three && tally.first_three <= tally.cases && tally.group_first <= tally.group_first_two;
    let mut sums = [0, 0];
    for (id, score) in &one.causes {
        assert!(knowledge().cause(id).is_some() && score.pressures.cases <= 5 && score.pressures.cases == score.intake.cases, "{id}");
        assert!(ordered(&score.pressures) && ordered(&score.intake));
        sums[0] += score.pressures.cases;
        sums[1] += if SHOWN_BY_PRESSURE.contains(&&**id) { score.pressures.cases } else { 0 };
    }
    assert_eq!(sums, [one.all.pressures.cases, one.shown.pressures.cases]);
    assert!(one.as_they_come.pressures.cases >= 30, "nearly all that came in were noticed on one engine or another");
    for (orders, cases) in [(&one.orders_shown, one.shown.pressures.cases), (&one.orders_as_they_come, one.as_they_come.pressures.cases)] {
        for answers in orders {
            assert_eq!(answers.len(), 4);
            for (name, score) in answers {
                assert_eq!(score.cases, cases, "{name}");
                assert!(score.certain <= cases && score.right <= cases && score.to_proof >= score.minutes - 1e-9, "{name}");
            }
        }
    }
    for table in &one.calibration {
        for (tenth, bin) in table.bins.iter().enumerate().filter(|(_, bin)| bin.stated > 0) {
            assert!(
                (0.1 * tenth as f64..=0.1 * (tenth + 1) as f64 + 1e-9).contains(&bin.mean) && (0.0..=1.0).contains(&bin.came_true),
                "{bin:?}"
            );
        }
    }
    let text = one.to_string();
    for word in
        ["the thirteen that pressures can show", "As they come in", "cheapest first, until good enough", "Seed 7, 1 engines of each rival"]
    {
        assert!(text.to_lowercase().contains(&word.to_lowercase()), "{word}");
    }
}

/// A tracer that knew nothing would find the true cause among its first three in about one case of eleven, so even one engine of each rival tells.
#[test]
fn it_is_far_from_guessing_on_engines_it_does_not_know() {
    let some = &*OTHER;
    let tally = some.shown.pressures;
    assert!(tally.share(tally.first_three) > 0.5, "{tally:?}");
    let answered = &some.orders_shown[0]["most useful per minute, until good enough"];
    assert!(f64::from(answered.right) > 0.7 * f64::from(answered.cases), "{answered:?}");
    let nobody = Tally::default();
    assert_eq!(nobody.share(nobody.first), 0.0);
}

/// Of engines from 0.6 to 16 l the middle of what is believed before anything is read lies in what the trade calls usual, and nineteen in twenty cover two thirds of it.
#[test]
fn what_is_believed_of_a_sound_engine_is_what_the_trade_calls_usual() {
    let rows = believed();
    assert_eq!(rows.len(), 9 * 4);
    for row in &rows {
        let ([low, middle, high], (least, most)) = (row.kpa, row.usual_kpa);
        assert!(low < middle && middle < high && least <= middle && middle <= most, "{row:?}");
        let covered = (high.min(most) / low.max(least)).ln() / (most / least).ln();
        assert!(covered > 2.0 / 3.0, "too narrow: {row:?}");
    }
    assert!(believes(&rows).contains("| 16 l marine | hot idle | 450 | 100 |"));
}

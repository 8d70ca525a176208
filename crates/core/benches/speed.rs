//! How fast the core is. `cargo bench -p velvet-dial-core`.
//!
//! `points` is solved operating points a second on one core; the `diagnose` benches take a whole case from parsed to report.
#![expect(clippy::unwrap_used, clippy::indexing_slicing, reason = "a bench stops where it cannot go on")]
use divan::counter::ItemsCount;
use divan::{Bencher, black_box};
use velvet_dial_core::case::{Case, Reading, parse, spec_points};
use velvet_dial_core::circuit::nominal::{self, DIMENSIONS, Unknowns};
use velvet_dial_core::circuit::{Circuit, Fault, Working, harm};
use velvet_dial_core::diagnosis::{Diagnosis, Setting, diagnose};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::oil;
use velvet_dial_core::record::Chained;
use velvet_dial_core::signing::head;
use velvet_dial_core::trace::{Strategy, Tracer, Until, plan};

/// The command and the server run with it.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() {
    divan::main();
}

const CASE: &[u8] = br#"{ "format": "velvet-dial.case/1",
    "engine": { "displacement_l": 2.0, "cylinders": 4, "idle_rpm": 750, "oil_grade": "5W-30", "relief_opens_kpa": 450, "layout": { "turbo": true } },
    "spec": { "points": [ { "rpm": 750, "oil_temp_c": 100, "min_kpa": 100 }, { "rpm": 3000, "oil_temp_c": 100, "min_kpa": 300, "max_kpa": 550 } ] },
    "readings": [ { "rpm": 820, "oil_temp_c": 22, "kpa": 410 }, { "rpm": 750, "oil_temp_c": 98, "kpa": 31 }, { "rpm": 2000, "oil_temp_c": 99, "kpa": 292 },
        { "rpm": 3000, "oil_temp_c": 101, "kpa": 405 } ] }"#;

fn case() -> Case {
    parse(CASE).unwrap()
}

fn known(case: &Case, tracer: &Tracer) -> Diagnosis {
    diagnose(case, tracer, &Setting::default())
}

fn tracer(case: &Case) -> Tracer {
    Tracer::new(&case.engine, &spec_points(case)).unwrap()
}

/// Every fault on sixteen drawn engines.
fn engines(case: &Case) -> Vec<Circuit> {
    let oil = oil::typical("5W-30").unwrap();
    let faults: Vec<Fault> = knowledge().causes.iter().map(|cause| cause.fault).collect();
    (0..16)
        .flat_map(|draw| {
            let numbers: [f64; DIMENSIONS] = std::array::from_fn(|i| (0.37 * (draw * DIMENSIONS + i + 1) as f64).fract());
            let healthy = nominal::circuit(&case.engine, oil, &Unknowns::from_unit(&numbers, &case.engine));
            faults.iter().map(move |fault| {
                let mut circuit = healthy.clone();
                harm(&mut circuit, &[(*fault, 0.6)]);
                circuit
            })
        })
        .collect()
}

/// Operating points solved: every cause, idle to 4500 rpm, cold and hot. One thread.
#[divan::bench]
fn points(bencher: Bencher) {
    let engines = engines(&case());
    let at: Vec<Working> =
        [20.0, 60.0, 100.0].iter().flat_map(|t| [750.0, 1500.0, 3000.0, 4500.0].map(|rpm| Working { rpm, oil_temp_c: *t })).collect();
    bencher
        .counter(ItemsCount::new(engines.len() * at.len()))
        .bench_local(|| engines.iter().map(|engine| at.iter().map(|at| engine.port_kpa(black_box(*at))).sum::<f64>()).sum::<f64>());
}

/// Four readings on an engine not seen before: draws, grids, odds, next checks.
#[divan::bench(max_time = 5)]
fn diagnose_new_engine(bencher: Bencher) {
    let case = case();
    bencher.bench_local(|| known(black_box(&case), &tracer(&case)));
}

/// One more reading, at a point of its own, on an engine that is known.
#[divan::bench(max_time = 5)]
fn diagnose_one_more_reading(bencher: Bencher) {
    let case = case();
    let tracer = tracer(&case);
    known(&case, &tracer);
    let mut step = 0.0;
    bencher
        .with_inputs(|| {
            step += 3.0;
            let mut more = case.clone();
            more.readings.push(Reading { rpm: 1200.0 + step, kpa: 150.0, ..more.readings[1].clone() });
            more
        })
        .bench_local_values(|more| known(&more, &tracer));
}

/// One more check on an engine that is known.
#[divan::bench(max_time = 5)]
fn diagnose_one_more_check(bencher: Bencher) {
    let mut case = case();
    let tracer = tracer(&case);
    known(&case, &tracer);
    case.evidence.push(velvet_dial_core::case::Evidence::of("tilt", "better_covered"));
    bencher.bench_local(|| known(black_box(&case), &tracer));
}

/// What the default order may be expected to cost from here.
#[divan::bench(max_time = 5)]
fn plan_most_told(bencher: Bencher) {
    let case = case();
    let known = known(&case, &tracer(&case));
    let situation = known.situation(&case);
    bencher.bench_local(|| plan((Strategy::MostUseful, Until::GoodEnough), knowledge(), &known.posterior.states, &situation, 0));
}

/// A recorder's file of 600,000 rows, parsed and analysed. It is left in the temporary folder as `velvet-dial-bench-run.csv`, so that another reader may read the same beside it.
#[divan::bench(max_time = 8)]
fn analyse_600_000_samples(bencher: Bencher) {
    let mut file = String::from("Time [s],Oil pressure [bar],Engine speed [rpm],Oil temp [°C]\n");
    for row in 0..600_000u32 {
        let time = f64::from(row) / 1000.0;
        let rpm = 800.0 + 700.0 * ((time / 20.0) as u32 % 4) as f64 + f64::from(row.wrapping_mul(2_654_435_761) % 17) - 8.0;
        let kpa = rpm * 0.12 + f64::from(row.wrapping_mul(40_503) % 7);
        file += &format!("{time:.4},{:.4},{rpm:.1},{:.2}\n", kpa / 100.0, 95.0 - 75.0 * (-time / 200.0).exp());
    }
    std::fs::write(std::env::temp_dir().join("velvet-dial-bench-run.csv"), &file).expect("the temporary folder can be written");
    bencher
        .counter(divan::counter::BytesCount::new(file.len()))
        .bench_local(|| velvet_dial_core::capture::analyse(black_box(file.as_bytes()), None, None));
}

/// The ledger of a job of ten thousand entries, each hash made again.
#[divan::bench]
fn verify_a_chain_of_10_000(bencher: Bencher) {
    let mut entries: Vec<Chained> = (1..=10_000)
        .map(|seq| Chained {
            id: format!("0193a1b2-{seq:024}"),
            seq,
            kind: "reading".to_owned(),
            body: format!("{{\"v\":1,\"kind\":\"reading\",\"reading\":{{\"rpm\":780.0,\"oil_temp_c\":98.0,\"kpa\":{seq}.0}},\"gauge\":null,\"capture\":null}}"),
            author: "0193a1b2-0000-7000-8000-000000000001".to_owned(),
            at: chrono::DateTime::UNIX_EPOCH,
            supersedes: None,
            chain: String::new(),
        })
        .collect();
    let mut before = "job".to_owned();
    for entry in &mut entries {
        before = entry.after(&before);
        entry.chain.clone_from(&before);
    }
    bencher.bench_local(|| head("job", black_box(&entries)).unwrap());
}

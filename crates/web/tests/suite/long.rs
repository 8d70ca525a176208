//! A long file is kept a second at a time beside its bytes: a closer look shows the same, and reads no more than it shows.
use crate::support::person::{Person as Asker, location};
use crate::support::start_with;
use reqwest::StatusCode;
use serde_json::Value;
use velvet_dial_store::rigs;
use velvet_dial_testkit::meddle;

/// 420,000 rows, a hundred a second: 2 bar, and a peak of 2.5 every seven seconds.
fn long() -> Vec<u8> {
    let mut file = b"time s,pressure bar,rpm,oil temp c\n".to_vec();
    for row in 0..420_000_u32 {
        let bar = if row.is_multiple_of(700) { "2.5" } else { "2.0" };
        file.extend(format!("{}.{:02},{bar},2000,95\n", row / 100, row % 100).bytes());
    }
    file
}

#[tokio::test]
async fn a_closer_look_at_a_long_file_reads_what_it_shows() {
    let (base, db) = start_with().await;
    let me = Asker::at(&base).entering_as("ines", "brass needle").await;
    let sent = me.upload("/jobs/9/captures", "long.csv", long()).await.unwrap();
    assert_eq!(sent.status(), StatusCode::SEE_OTHER);
    let page = location(sent.headers()).to_owned();
    let id = page.rsplit('/').next().unwrap().parse().unwrap();
    // Least and greatest of a stretch in kPa, and how many steps it has.
    let looked = async |from: f64, to: f64| {
        let steps: Value = serde_json::from_slice(&me.bytes(&format!("{page}/strip?points=4000&from={from}&to={to}")).await).unwrap();
        let rows = steps["rows"].as_array().unwrap().clone();
        let of = |place: usize, pick: fn(f64, f64) -> f64| rows.iter().filter_map(|row| row[place].as_f64()).reduce(pick).unwrap();
        (rows.len(), of(1, f64::min), of(3, f64::max))
    };
    let near = |a: f64, b: f64| (a - b).abs() < 0.1;
    // Looked at once, it is kept to its last sample.
    let (_, least, most) = looked(100.0, 130.0).await;
    assert!(near(least, 200.0) && near(most, 250.0), "{least} {most}");
    assert_eq!(rigs::kept(&db, id).await.unwrap(), Some((4_199_990_000, 420_000)));
    // What lies between two peaks, a peak alone, and hours by the peaks of their seconds.
    let (steps, least, most) = looked(100.5, 104.5).await;
    assert!(steps == 401 && near(least, 200.0) && near(most, 200.0), "{steps} {least} {most}");
    assert!(near(looked(104.9, 105.1).await.2, 250.0));
    assert!(near(looked(0.0, 4200.0).await.2, 250.0));
    // Nothing but the seconds is read: the file itself may be away.
    meddle(&db, "UPDATE capture_parts SET bytes = '' WHERE part > 0").await;
    assert_eq!(looked(2000.0, 2010.0).await.0, 1001);
    // Named anew, it is read anew.
    let named = [("time", "0"), ("time_unit", "s"), ("pressure", "1"), ("pressure_unit", "psi"), ("speed", "2"), ("oil_temp", "3")];
    assert_eq!(me.post(&format!("{page}/mapping"), &named).await.status(), StatusCode::SEE_OTHER);
    assert_eq!(rigs::kept(&db, id).await.unwrap(), None);
    assert!(near(looked(100.5, 104.5).await.1, 2.0 * 6.894_8), "pounds by now");
}

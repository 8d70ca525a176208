//! A rig at the recorder over real sockets: what is kept is what was sent, whatever happens on the way.
#![expect(clippy::unwrap_used, clippy::indexing_slicing, reason = "a test that cannot go on must stop there")]
use proptest::prelude::*;
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};
use tokio::time::{sleep, timeout};
use uuid::Uuid;
use velvet_dial_rig::chunk::{Chunk, packed_peaks, unpacked_peaks};
use velvet_dial_rig::hub::Hub;
use velvet_dial_rig::line::{opened, sealed};
use velvet_dial_rig::proof::answer;
use velvet_dial_rig::recorder::{Admitted, Door, Hello, Refused, Sink, listen};
use velvet_dial_rig::said::{Channel, FromRig, Kind, Sample, ToRig};
use velvet_dial_rig::{standin, tls};

/// Keeps in memory by the rules of a sink; away while told so.
#[derive(Default)]
struct Memory {
    kept: Mutex<BTreeMap<u64, Chunk>>,
    marks: Mutex<Vec<u64>>,
    away: AtomicBool,
}

const RIG: Uuid = Uuid::from_u128(7);

impl Sink for Memory {
    async fn admit(&self, hello: &Hello) -> Result<Admitted, Refused> {
        if !hello.proof.shows(&Sha256::digest("right"), &hello.name, hello.boot) {
            return Err(Refused::No("not paired".to_owned()));
        }
        let kept = self.kept.lock().unwrap();
        let next = kept.values().last().map_or(0, Chunk::next);
        let last_us = kept.values().rev().find_map(Chunk::span).map(|(_, last)| last);
        let first_us = kept.values().find_map(Chunk::span).map(|(first, _)| first);
        Ok(Admitted { rig: RIG, shop: RIG, job: 1, run: RIG, next, first_us, last_us })
    }

    async fn keep(&self, _: &Admitted, chunk: &Chunk) -> Result<(), Refused> {
        if self.away.load(Ordering::Relaxed) {
            return Err(Refused::Away("away".to_owned()));
        }
        let read = Chunk::unpacked(chunk.first, &chunk.packed().unwrap()).unwrap();
        let mut kept = self.kept.lock().unwrap();
        let next = kept.values().last().map_or(0, Chunk::next);
        if next != chunk.first {
            return Err(Refused::No("begins elsewhere".to_owned()));
        }
        self.marks.lock().unwrap().extend(&chunk.marks);
        kept.insert(chunk.first, Chunk { lost: chunk.lost, ..read });
        Ok(())
    }
}

struct Bench {
    hub: Arc<Hub>,
    sink: Arc<Memory>,
    at: std::net::SocketAddr,
}

async fn bench() -> Bench {
    bench_with(Door { token_in_clear: true, tls: None }).await
}

async fn bench_with(door: Door) -> Bench {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let at = listener.local_addr().unwrap();
    let (hub, sink) = (Arc::new(Hub::default()), Arc::new(Memory::default()));
    tokio::spawn(listen(listener, door, Arc::clone(&hub), Arc::clone(&sink)));
    Bench { hub, sink, at }
}

/// A rig by hand.
struct Hand {
    stream: TcpStream,
    read: Vec<u8>,
}

impl Hand {
    async fn greets(at: std::net::SocketAddr, hello: &str) -> Self {
        let mut hand = Self { stream: TcpStream::connect(at).await.unwrap(), read: Vec::new() };
        for line in [hello, "chan pressure bar 100", "chan speed pulses 100 60", "go"] {
            hand.says(line).await;
        }
        hand
    }

    async fn says(&mut self, text: &str) {
        self.raw(sealed(text).as_bytes()).await;
    }

    async fn raw(&mut self, bytes: &[u8]) {
        // A server that closed has said why before.
        self.stream.write_all(bytes).await.ok();
    }

    /// Says samples of a steady run: two bar and ten turns a second, every ten milliseconds.
    async fn data(&mut self, numbers: std::ops::Range<u64>) {
        for seq in numbers {
            self.says(&format!("d {seq} {} 2 {}", 1000 + seq * 10_000, seq * 6)).await;
        }
    }

    async fn hears(&mut self) -> Option<ToRig> {
        loop {
            if let Some(end) = self.read.iter().position(|byte| *byte == b'\n') {
                let line: Vec<u8> = self.read.drain(..=end).collect();
                return ToRig::parse(opened(&line).unwrap());
            }
            let mut more = [0; 1024];
            match timeout(Duration::from_secs(20), self.stream.read(&mut more)).await.expect("the server said nothing") {
                Ok(count) if count > 0 => self.read.extend_from_slice(&more[..count]),
                _ => return None,
            }
        }
    }

    async fn hears_ack(&mut self, of: u64) {
        loop {
            match self.hears().await {
                Some(ToRig::Ack(next)) if next >= of => return,
                Some(ToRig::Ack(_)) => {}
                other => panic!("wanted an acknowledgement up to {of}, heard {other:?}"),
            }
        }
    }

    async fn hears_no(&mut self) -> String {
        loop {
            match self.hears().await {
                Some(ToRig::No(why)) => return why,
                Some(_) => {}
                None => panic!("the link ended without a word"),
            }
        }
    }
}

const HELLO: &str = "VD1 hello green right 00000000000000a1";

/// Numbers kept, each once, and those kept as lost.
fn numbers(sink: &Memory) -> (Vec<u64>, Vec<u64>) {
    let kept = sink.kept.lock().unwrap();
    let (mut there, mut lost) = (Vec::new(), Vec::new());
    for chunk in kept.values() {
        there.extend((chunk.first..).take(chunk.us.len()));
        lost.extend((chunk.first..).take(chunk.lost as usize));
    }
    (there, lost)
}

#[tokio::test]
async fn what_is_acknowledged_is_kept_once_over_broken_links_garbage_and_a_database_that_is_away() {
    let bench = bench().await;
    let mut rig = Hand::greets(bench.at, HELLO).await;
    assert_eq!(rig.hears().await, Some(ToRig::Ok(0)));
    rig.data(0..150).await;
    rig.hears_ack(101).await;
    // Garbage, a line without an end, a wrong checksum: the number that is missing is asked for again.
    rig.raw(&[0xff, 0xfe, b'\n']).await;
    rig.raw(&[b'x'; 3000]).await;
    rig.raw(b"\nd 150 1501000 2 900*0000\n").await;
    rig.data(151..153).await;
    assert_eq!(rig.hears().await, Some(ToRig::Again(150)));
    rig.data(140..260).await;
    rig.hears_ack(250).await;
    drop(rig);
    // Broken off: whatever came is kept, and a new link goes on from there while nobody keeps for a while.
    sleep(Duration::from_millis(200)).await;
    let mut rig = Hand::greets(bench.at, HELLO).await;
    let Some(ToRig::Ok(next)) = rig.hears().await else { panic!("not let in") };
    assert_eq!(next, 260);
    bench.sink.away.store(true, Ordering::Relaxed);
    rig.data(200..420).await;
    sleep(Duration::from_millis(300)).await;
    bench.sink.away.store(false, Ordering::Relaxed);
    rig.hears_ack(400).await;
    // The rig no longer holds some: a gap that stays a gap.
    rig.says("lost 420 500").await;
    rig.data(500..620).await;
    rig.says("bye").await;
    rig.hears_ack(620).await;
    let (there, lost) = numbers(&bench.sink);
    assert_eq!(there, (0..420).chain(500..620).collect::<Vec<_>>());
    assert_eq!(lost, (420..500).collect::<Vec<_>>());
    let kept = bench.sink.kept.lock().unwrap();
    assert!(kept.values().flat_map(|chunk| &chunk.columns[0]).all(|kpa| *kpa == 200.0), "bar is kept as kPa");
}

#[tokio::test]
async fn a_sample_that_never_arrives_whole_is_given_up_and_the_run_goes_on() {
    let bench = bench().await;
    let mut rig = Hand::greets(bench.at, HELLO).await;
    assert_eq!(rig.hears().await, Some(ToRig::Ok(0)));
    rig.data(0..3).await;
    for _ in 0..3 {
        rig.says("d 3 31000 2").await;
        assert_eq!(rig.hears().await, Some(ToRig::Again(3)));
    }
    rig.says("d 3 31000 2").await;
    rig.data(4..10).await;
    rig.says("bye").await;
    rig.hears_ack(10).await;
    assert_eq!(numbers(&bench.sink), ((0..3).chain(4..10).collect(), vec![3]));
}

#[tokio::test]
async fn who_may_not_link_is_told_why_and_gets_nothing() {
    let bench = bench().await;
    let mut first = Hand::greets(bench.at, HELLO).await;
    first.hears().await;
    first.data(0..5).await;
    for (hello, why) in [
        ("VD1 hello green wrong 00000000000000a1", "not paired"),
        ("VD3 hello green 00000000000000a1", "speaks VD2, the rig VD3"),
        ("VD1 hello green right 00000000000000b2", "another data logger is connected as green"),
        ("VD1 hello green right a1", "sixteen hexadecimal digits"),
        ("go", "say hello first"),
        ("GET / HTTP/1.1", "no word of VD2"),
    ] {
        let mut rig = Hand::greets(bench.at, hello).await;
        let told = rig.hears_no().await;
        assert!(told.contains(why), "{hello}: {told}");
        assert_eq!(rig.hears().await, None, "{hello}");
    }
    for (line, why) in [("d 5 4000 2 30", "does not go on"), ("d 5 99000000000 2 30", "more than an hour ahead")] {
        let mut rig = Hand::greets(bench.at, HELLO).await;
        rig.hears().await;
        rig.data(0..5).await;
        rig.says(line).await;
        let told = rig.hears_no().await;
        assert!(told.contains(why), "{line}: {told}");
    }
    assert_eq!(numbers(&bench.sink).0, Vec::from_iter(0..5), "nothing that was recorded is lost");
}

/// A rig shows that it has its token without saying it: what is overheard lets nobody in, and a token in clear is refused unless the server allows it.
#[tokio::test]
async fn a_rig_answers_a_question_and_its_token_stays_unsaid() {
    let bench = bench_with(Door::default()).await;
    let greets = async |hello: &str, answers: &dyn Fn(&str) -> String| {
        let mut rig = Hand { stream: TcpStream::connect(bench.at).await.unwrap(), read: Vec::new() };
        rig.says(hello).await;
        let Some(ToRig::Ask(question)) = rig.hears().await else { panic!("no question") };
        for line in [&*format!("answer {}", answers(&question)), "chan pressure bar 100", "chan speed pulses 100 60", "go"] {
            rig.says(line).await;
        }
        (rig, question)
    };
    let hello = "VD2 hello green 00000000000000a1";
    let right = |question: &str| answer("right", question, "green", 0xa1);
    let (mut rig, first) = greets(hello, &right).await;
    assert_eq!(rig.hears().await, Some(ToRig::Ok(0)));
    rig.data(0..5).await;
    rig.says("lost 5 90000000").await;
    assert!(rig.hears_no().await.contains("more than a day of samples"));
    let overheard = right(&first);
    type Answers<'a> = &'a dyn Fn(&str) -> String;
    let wrong: [(&str, Answers<'_>); 4] = [
        (hello, &|question| answer("wrong", question, "green", 0xa1)),
        (hello, &|question| answer("right", question, "green", 0xa2)),
        (hello, &|question| answer("right", question, "brown", 0xa1)),
        (hello, &|_| overheard.clone()),
    ];
    for (hello, answers) in wrong {
        let (mut rig, question) = greets(hello, answers).await;
        assert!(rig.hears_no().await.contains("not paired"));
        assert_ne!(question, first, "another question at every connection");
    }
    let mut rig = Hand::greets(bench.at, HELLO).await;
    assert!(rig.hears_no().await.contains("takes no token in clear"));
}

/// Connections that say nothing keep no rig out, from one address or another: who has waited longest leaves.
#[tokio::test]
async fn idle_connections_keep_no_rig_out() {
    let bench = bench().await;
    let mut idle = Vec::new();
    for _ in 0..64 {
        idle.push(TcpStream::connect(bench.at).await.unwrap());
    }
    let mut rig = Hand::greets(bench.at, HELLO).await;
    assert_eq!(rig.hears().await, Some(ToRig::Ok(0)));
    let mut told = Vec::new();
    timeout(Duration::from_secs(5), idle[0].read_to_end(&mut told)).await.expect("the oldest was not sent away").unwrap();
    assert!(String::from_utf8_lossy(&told).contains("say who you are at once"));
}

/// With a certificate the link is encrypted: the stand-in is let in by one that it trusts and by no other, and who speaks in clear gets nothing.
#[tokio::test]
async fn a_link_is_encrypted_where_a_certificate_is_given() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str, text: &str| {
        let path = folder.path().join(name);
        std::fs::write(&path, text).unwrap();
        path
    };
    let made = |name: &str| {
        let made = rcgen::generate_simple_self_signed(["localhost".to_owned()]).unwrap();
        (file(&format!("{name}.pem"), &made.cert.pem()), file(&format!("{name}.key"), &made.signing_key.serialize_pem()))
    };
    let ((own, key), (other, _)) = (made("own"), made("other"));
    assert!(tls::acceptor(&key, &key).is_err() && tls::acceptor(&own, &own).is_err());
    let bench = bench_with(Door { token_in_clear: true, tls: Some(tls::acceptor(&own, &key).unwrap()) }).await;
    let plan = |trusted: &std::path::Path| standin::Plan {
        to: format!("localhost:{}", bench.at.port()),
        name: "green".to_owned(),
        token: "right".to_owned(),
        trusted: Some(trusted.to_owned()),
        card: velvet_dial_core::circuit::Card::of(2.0, 4, 750.0, "5W-30"),
        fault: None,
        rate_hz: 100.0,
        warms: 1.0,
        air_c: 18.0,
        odd: Vec::new(),
        module: false,
        seed: 1,
    };
    let stranger = tokio::spawn(standin::run(plan(&other)));
    let mut clear = Hand::greets(bench.at, HELLO).await;
    assert_eq!(clear.hears().await, None, "nothing is said in clear");
    sleep(Duration::from_millis(1500)).await;
    assert!(bench.hub.of_job(RIG, 1).is_none());
    stranger.abort();
    let rig = tokio::spawn(standin::run(plan(&own)));
    timeout(Duration::from_secs(20), async {
        while numbers(&bench.sink).0.len() < 100 {
            sleep(Duration::from_millis(50)).await;
        }
    })
    .await
    .expect("nothing was kept");
    rig.abort();
}

#[tokio::test]
async fn who_watches_sees_frames_keys_and_a_link_that_broke_and_reaches_the_rig() {
    let bench = bench().await;
    let mut rig = Hand::greets(bench.at, HELLO).await;
    rig.hears().await;
    let linked = bench.hub.of_job(RIG, 1).unwrap();
    let mut watch = linked.watch();
    rig.data(0..120).await;
    rig.says("key hold").await;
    rig.says("key mark").await;
    rig.says("code low pressure, stored").await;
    timeout(Duration::from_secs(10), watch.wait_for(|closed| *closed >= 20)).await.unwrap().unwrap();
    let (closed, frames) = linked.frames(closed_before(5));
    assert_eq!(closed as usize - 5, frames.len());
    let last = frames.last().unwrap();
    assert!((last.peaks[0].mean - 200.0).abs() < 1e-3 && (last.peaks[1].mean - 600.0).abs() < 1.0, "{last:?}");
    assert!(linked.say(ToRig::Throttle(0.25)));
    loop {
        match rig.hears().await {
            Some(ToRig::Throttle(share)) => break assert_eq!(share, 0.25),
            Some(_) => {}
            None => panic!("not told"),
        }
    }
    assert_eq!(linked.told().holds_asked, 1);
    assert_eq!(linked.told().marks, [1.19], "at the last sample before it");
    assert_eq!(linked.told().codes, ["low pressure, stored"]);
    drop(rig);
    timeout(Duration::from_secs(10), async {
        while linked.told().on {
            watch.changed().await.unwrap();
            assert_eq!(*bench.sink.marks.lock().unwrap(), [1_191_000], "kept with what came before it");
        }
    })
    .await
    .unwrap();
    assert!(!linked.say(ToRig::Throttle(0.0)));
    // It comes back, and whoever looks finds what was there.
    let mut rig = Hand::greets(bench.at, HELLO).await;
    rig.hears().await;
    let linked = bench.hub.of_job(RIG, 1).unwrap();
    assert!(linked.told().on && linked.frames(0).0 >= 20);
    bench.hub.end(RIG, "it belongs to another job now");
    assert!(rig.hears_no().await.contains("another job"));
}

fn closed_before(count: u64) -> u64 {
    count
}

/// The document's lines are lines, and are understood as it says.
#[test]
fn the_example_of_the_document_is_right() {
    let (mut from_rig, mut to_rig) = (0, 0);
    for line in include_str!("../../../docs/rig.md").lines() {
        if let Some(line) = line.strip_prefix("    > ") {
            let text = opened(line.as_bytes()).unwrap();
            assert_eq!(FromRig::parse(text).unwrap().to_string(), text);
            from_rig += 1;
        } else if let Some(line) = line.strip_prefix("    < ") {
            assert!(ToRig::parse(opened(line.as_bytes()).unwrap()).is_some());
            to_rig += 1;
        }
    }
    assert_eq!((from_rig, to_rig), (8, 3));
    let document = include_str!("../../../docs/rig.md");
    let token = document.split("With token `").nth(1).unwrap().split('`').next().unwrap();
    let question = document.split("    < ask ").nth(1).unwrap().split('*').next().unwrap();
    assert!(document.contains(&format!("answer {}*", answer(token, question, "green-cart", 0x4c_1a7e))));
}

proptest! {
    /// Whatever is said is read as it was said, through its line; and no bytes break the reader.
    #[test]
    fn lines_come_back_as_they_were_said(seq: u64, us: u64, values in prop::collection::vec(prop::option::of(-1e6..1e6), 1..5), noise: Vec<u8>, share in 0.0..1.0) {
        let values: Vec<f64> = values.into_iter().map(|value| value.unwrap_or(f64::NAN)).collect();
        let line = sealed(&FromRig::Data(Sample { seq, us, values: values.clone() }).to_string());
        let FromRig::Data(back) = FromRig::parse(opened(line.as_bytes()).unwrap()).unwrap() else { panic!("no data") };
        prop_assert_eq!((back.seq, back.us), (seq, us));
        prop_assert!(back.values.iter().zip(&values).all(|(a, b)| a == b || a.is_nan() && b.is_nan()));
        for said in [ToRig::Ok(seq), ToRig::Ack(us), ToRig::Again(seq), ToRig::Starter(true), ToRig::No("why not".to_owned())] {
            prop_assert_eq!(ToRig::parse(&said.to_string()), Some(said));
        }
        prop_assert!(matches!(ToRig::parse(&ToRig::Throttle(share).to_string()), Some(ToRig::Throttle(back)) if (back - share).abs() < 1e-3));
        if let Ok(text) = opened(&noise) {
            FromRig::parse(text).ok();
        }
        FromRig::parse(&String::from_utf8_lossy(&noise)).ok();
    }

    /// A chunk comes back as it was, silences too; bytes cut short or changed are refused, never a panic.
    #[test]
    fn a_second_is_kept_as_it_was(rows in prop::collection::vec((1_u64..5000, prop::option::of(-50.0_f64..900.0)), 1..300), cut in 0.0..1.0) {
        let channels = [Channel { kind: Kind::Pressure { kpa: 1.0 }, rate_hz: 100.0 }];
        let mut chunk = Chunk::from(9);
        let mut us = 0;
        for (step, value) in &rows {
            us += step;
            chunk.push(&channels, &Sample { seq: 0, us, values: vec![value.unwrap_or(f64::NAN)] });
        }
        let packed = chunk.packed().unwrap();
        let back = Chunk::unpacked(9, &packed).unwrap();
        prop_assert_eq!(&back.us, &chunk.us);
        prop_assert!(back.columns[0].iter().zip(&chunk.columns[0]).all(|(a, b)| a.to_bits() == b.to_bits()));
        prop_assert!(Chunk::unpacked(9, &packed[..(cut * packed.len() as f64) as usize]).is_err());
        let peaks = unpacked_peaks(&packed_peaks(&chunk.peaks()));
        let all: Vec<f32> = rows.iter().filter_map(|(_, value)| value.map(|value| value as f32)).collect();
        if all.is_empty() {
            prop_assert!(peaks[0].mean.is_nan());
        } else {
            let least = all.iter().copied().fold(f32::INFINITY, f32::min);
            prop_assert!(peaks[0].least == least && peaks[0].most >= peaks[0].mean && peaks[0].mean >= least - 1e-3);
        }
    }
}

//! A recorder on an engine that runs in time, and files as other recorders write them.
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use velvet_dial_core::capture::Run;
use velvet_dial_core::circuit::Circuit;
use velvet_dial_core::running::{Hand, Running};

/// What a hand does: for so many seconds, running or not, at a throttle that moves evenly to this one.
pub type Script<'a> = &'a [(f64, bool, f64)];

/// A start from cold, a warm-up shortened to minutes, hot idle, three speeds, a sweep, back to idle, stop.
pub const WHOLE: Script<'static> = &[
    (5.0, false, 0.0),
    (420.0, true, 0.0),
    (2.0, true, 0.14),
    (14.0, true, 0.14),
    (2.0, true, 0.24),
    (14.0, true, 0.24),
    (3.0, true, 0.4),
    (14.0, true, 0.4),
    (3.0, true, 0.0),
    (14.0, true, 0.0),
    (30.0, true, 0.55),
    (30.0, true, 0.0),
    (16.0, true, 0.0),
    (14.0, false, 0.0),
];

/// Records an engine of 750 to 6000 turns a minute through a script, so many rows a second; the needle by the row's time and speed.
pub fn record(circuit: &Circuit, script: Script<'_>, rate_hz: f64, noise_kpa: f64, needle: impl Fn(f64, f64) -> f64) -> Run {
    let mut random = ChaCha8Rng::seed_from_u64(9);
    let mut engine = Running::rested(circuit.clone(), 2.0, 750.0, 6000.0, 15.0);
    engine.warms = 3.0;
    let mut run = Run::default();
    let (mut time, mut throttle) = (0.0, 0.0);
    for (seconds, on, to) in script {
        let steps = (seconds * rate_hz) as usize;
        let from: f64 = throttle;
        for step in 0..steps {
            throttle = from + (to - from) * step as f64 / steps as f64;
            let cranking = *on && engine.rpm < 200.0;
            engine.go_on(1.0 / rate_hz, Hand { on: *on, cranking, throttle });
            run.time_s.push(time);
            run.kpa.push(engine.kpa + needle(time, engine.rpm) + noise_kpa * random.random_range(-1.0..1.0));
            run.rpm.push((engine.rpm + if engine.rpm > 0.0 { random.random_range(-8.0..8.0) } else { 0.0 }).max(0.0));
            run.oil_temp_c.push(engine.oil_temp_c + random.random_range(-0.15..0.15));
            time += 1.0 / rate_hz;
        }
    }
    run
}

/// One manner of writing: what stands before the rows, what parts the cells, and a row.
pub struct Manner {
    pub name: &'static str,
    pub head: &'static str,
    pub map: Option<&'static str>,
    pub row: fn(usize, [f64; 4]) -> String,
}

fn comma(number: String) -> String {
    number.replace('.', ",")
}

fn clock(time: f64) -> String {
    let whole = time as u64 + 23 * 3600 + 58 * 60;
    format!("{:02}:{:02}:{:02}.{:03}", whole / 3600 % 24, whole / 60 % 60, whole % 60, (time.fract() * 1000.0).round() as u64 % 1000)
}

/// Recorders of many habits; each row is time, kPa, rpm and °C.
pub const MANNERS: &[Manner] = &[
    Manner {
        name: "plain",
        head: "Time [s],Oil pressure [bar],Engine speed [rpm],Oil temp [°C]",
        map: None,
        row: |_, [t, p, n, c]| format!("{t:.2},{:.4},{n:.1},{c:.2}", p / 100.0),
    },
    Manner {
        name: "decimal commas, names and units apart, header rows, another tongue",
        head: "Aufzeichnung 4\nDatum;12.03.2026\n\nZeit;Öldruck;Drehzahl;Öltemperatur\ns;bar;1/min;°C",
        map: None,
        row: |_, [t, p, n, c]| comma(format!("{t:.2};{:.4};{n:.1};{c:.2}", p / 100.0)),
    },
    Manner {
        name: "a clock over midnight, psi and °F, coolant beside, tabs",
        head: "rpm\ttime\tpsi\toil_temp_f\tcoolant temp (F)",
        map: None,
        row: |_, [t, p, n, c]| format!("{n:.1}\t{}\t{:.4}\t{:.2}\t195", clock(t), p / 6.894_757_293, c * 1.8 + 32.0),
    },
    Manner {
        name: "moments, boost and the vehicle's own pressure beside",
        head: "timestamp,RPM,T_oil (C),coolant,Boost [bar],P_oil_kpa,ecu oil pressure kPa",
        map: None,
        row: |_, [t, p, n, c]| {
            format!(
                "2026-03-01T{}:{:06.3},{n:.1},{c:.2},88,1.2,{p:.2},{:.0}",
                ["10:00", "10:01", "10:02", "10:03", "10:04", "10:05", "10:06", "10:07", "10:08", "10:09", "10:10"][(t / 60.0) as usize],
                t % 60.0,
                p + 2.0
            )
        },
    },
    Manner {
        name: "milliseconds and megapascals",
        head: "t_ms,pressure_mpa,speed,temp",
        map: None,
        row: |_, [t, p, n, c]| format!("{:.0},{:.5},{n:.1},{c:.2}", 1000.0 * t, p / 1000.0),
    },
    Manner {
        name: "rows at a rate, speed in pulses a second",
        head: "# logger\n# Sample rate: 25 Hz\n# Pulses per rev: 4\nfreq [Hz],oil press [kPa],oil temp [C]",
        map: None,
        row: |_, [_, p, n, c]| format!("{:.4},{p:.2},{c:.2}", n / 15.0),
    },
    Manner {
        name: "a clock that ticks in whole seconds",
        head: "time s,rpm,oil press [kPa],oil temp [C]",
        map: None,
        row: |_, [t, p, n, c]| format!("{:.0},{n:.1},{p:.2},{c:.2}", t.floor()),
    },
    Manner {
        name: "quoted, with thousands parted",
        head: "\"Time\",\"Oil Pressure\",\"Engine Speed\",\"Oil Temp\"\n\"s\",\"kPa\",\"rpm\",\"C\"",
        map: None,
        row: |_, [t, p, n, c]| {
            let speed = if n >= 1000.0 { format!("{},{:03}", (n / 1000.0) as u32, n as u32 % 1000) } else { format!("{}", n as u32) };
            format!("\"{t:.2}\",\"{p:.2}\",\"{speed}\",\"{c:.2}\"")
        },
    },
    Manner {
        name: "parted by spaces",
        head: "time_s   rpm   kpa  oil_c",
        map: None,
        row: |_, [t, p, n, c]| format!("{t:>8.2}  {n:>7.1}  {p:>8.2} {c:>7.2}"),
    },
    Manner {
        name: "temperature once a second, speed five times",
        head: "Time (s),kPa,rpm,Oil temp (°C)",
        map: None,
        row: |i, [t, p, n, c]| {
            let (speed, temp) =
                (if i % 5 == 0 { format!("{n:.1}") } else { String::new() }, if i % 25 == 0 { format!("{c:.2}") } else { String::new() });
            format!("{t:.2},{p:.2},{speed},{temp}")
        },
    },
    Manner {
        name: "an epoch in milliseconds",
        head: "Time,Druck [mbar],Drehzahl,Öl Temp",
        map: None,
        row: |_, [t, p, n, c]| format!("{:.0},{:.1},{n:.1},{c:.2}", 1_772_000_000_000.0 + 1000.0 * t, 10.0 * p),
    },
    Manner {
        name: "volts",
        head: "Time (s);U_p (V);n (1/min);T oil (°C)",
        map: Some("pressure=2:0.5..4.5V=0..10bar"),
        row: |_, [t, p, n, c]| format!("{t:.2};{:.6};{n:.1};{c:.2}", 0.5 + p / 250.0),
    },
    Manner {
        name: "volts that follow their supply",
        head: "a;b;c;d;e",
        map: Some("time=1:s,pressure=2:0.5..4.5V=0..1000kPa,supply=5:5V,speed=3:rpm,oil_temp=4:c"),
        row: |i, [t, p, n, c]| {
            let supply = 5.0 + 0.2 * f64::from(u8::from(i % 3 == 0));
            format!("{t:.2};{:.6};{n:.1};{c:.2};{supply}", (0.5 + p / 250.0) * supply / 5.0)
        },
    },
];

/// The file of a run, as one manner writes it.
pub fn written(run: &Run, manner: &Manner) -> String {
    let mut text = format!("{}\n", manner.head);
    for (row, ((time, kpa), (rpm, temp))) in run.time_s.iter().zip(&run.kpa).zip(run.rpm.iter().zip(&run.oil_temp_c)).enumerate() {
        text += &(manner.row)(row, [*time, *kpa, *rpm, *temp]);
        text.push('\n');
    }
    text
}

//! The report as what it is made of, in order: for the customer in plain words, or in full for a warranty or an insurer. Page and paper are drawn from it.
use super::Reader;
use super::pictures::Strip;
use crate::job::pairs::{Pair, Said, pairs};
use crate::job::prove;
use crate::ui::show;
use crate::ui::words::{flag_class, reading_place, sheet_name};
use chrono::{DateTime, Utc};
use velvet_dial_core::case::Phase;
use velvet_dial_core::diagnosis::ProofWord;
use velvet_dial_core::flag::Word;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::limits::limit_words;
use velvet_dial_core::record::{self, ReadingSaid, Record, Recording};
use velvet_dial_core::stage::RECHECK;
use velvet_dial_core::unit::Units;
use velvet_dial_report::{Block, Cell, Document, Photo, Picture, Span, Tone};
use velvet_dial_store::zone::Zone;

/// What is drawn of a report, each complete in itself.
pub struct Drawings {
    /// Before and after on one picture.
    pub map: String,
    /// Recorded runs that readings were taken from.
    pub strips: Vec<Strip>,
    /// The hashes, as a code for a camera.
    pub code: Option<String>,
}

/// Lays it out.
pub fn document(record: &Record, reader: Reader, unit: Units, data: Drawings) -> Document {
    let papers = &record.papers;
    let zone = Zone::named(&papers.zone).unwrap_or_default();
    let lay = Lay { record, reader, unit, zone };
    let day = |at: DateTime<Utc>| show::day(at.naive_utc(), &lay.zone);
    let closed = papers.closed_at.map(|at| format!(", closed {}", day(at))).unwrap_or_default();
    let job = format!("job {}, opened {}{closed}", papers.number, day(papers.opened_at));
    let foot = record.seal.as_ref().map(|seal| seal.document.chars().take(16).collect::<String>());
    Document {
        title: "Oil pressure report".to_owned(),
        shop: papers.shop.clone(),
        foot: format!(
            "{}, {} · job {}{}",
            papers.shop,
            papers.tag,
            papers.number,
            foot.map(|hash| format!(" · report {hash}")).unwrap_or_default()
        ),
        job,
        blocks: lay.blocks(data),
    }
}

struct Lay<'a> {
    record: &'a Record,
    reader: Reader,
    unit: Units,
    zone: Zone,
}

fn strong(text: impl Into<String>) -> Span {
    Span::new(Tone::Strong, text)
}

fn plain(text: impl Into<String>) -> Span {
    Span::new(Tone::Plain, text)
}

fn soft(text: impl Into<String>) -> Span {
    Span::new(Tone::Soft, text)
}

fn heading(text: &str) -> Block {
    Block::Heading { text: text.to_owned() }
}

fn text(spans: Vec<Span>) -> Block {
    Block::Text { spans, large: false }
}

fn large(spans: Vec<Span>) -> Block {
    Block::Text { spans, large: true }
}

/// What is not broken over two lines.
fn together(text: &str) -> String {
    text.replace(' ', "\u{a0}")
}

/// A figure stays with its unit.
fn with_its_unit(text: &str) -> String {
    text.rsplit_once(' ').map_or_else(|| text.to_owned(), |(figure, unit)| format!("{figure}\u{a0}{unit}"))
}

/// A decision as shape and word.
fn decided(said: &Said) -> (&'static str, &'static str) {
    (said.decision, said.word)
}

impl Lay<'_> {
    fn when(&self, at: DateTime<Utc>) -> String {
        together(&show::moment_with_year(at.naive_utc(), &self.zone))
    }

    fn full(&self) -> bool {
        self.reader == Reader::Full
    }

    fn blocks(&self, data: Drawings) -> Vec<Block> {
        let mut blocks = self.head();
        blocks.push(heading("In plain words"));
        blocks.extend(self.record.plain.iter().map(|sentence| large(vec![plain(sentence)])));
        blocks.extend(self.record.repairs.iter().flat_map(|repair| {
            let how = match &repair.in_vain {
                Some(_) => "Repaired without result",
                None if repair.stopgap => "Stopgap",
                None => "Repaired",
            };
            let why = repair.in_vain.as_ref().map(|why| plain(format!("{why}.")));
            let mut done = vec![strong(format!("{how}: {}.", repair.cause)), plain(&repair.done)];
            done.extend(why);
            done.push(soft(format!("({}, {})", repair.who, self.when(repair.at))));
            let follows = (!repair.follow_up.is_empty()).then(|| text(vec![strong("What may follow:"), plain(&repair.follow_up)]));
            std::iter::once(text(done)).chain(follows)
        }));
        if let Some(back) = self.record.papers.recheck_at {
            let said = "oil level after settling, the first filter cut open, leaks.";
            blocks.push(text(vec![strong(format!("Booked to be looked at again {}:", self.when(back))), plain(said)]));
        }
        blocks.extend(self.notes());
        blocks.extend(self.before_and_after(data.map));
        if self.full() {
            blocks.extend(self.readings());
            blocks.extend(self.recordings(data.strips));
        }
        blocks.extend(self.photos());
        if self.full() {
            blocks.extend(self.ledger());
        }
        blocks.extend(self.small_print(data.code));
        blocks
    }

    fn head(&self) -> Vec<Block> {
        let papers = &self.record.papers;
        let mut vehicle = vec![strong(&papers.tag), plain(format!("· {} · {}", papers.description, papers.engine))];
        vehicle.extend(papers.odometer_km.map(|km| plain(format!("· {km:.0} km"))));
        if !papers.on_it.is_empty() {
            vehicle.push(plain(format!("· worked on by {}", papers.on_it)));
        }
        let mut blocks = vec![large(vehicle), text(vec![soft("Complaint:"), plain(&papers.complaint)])];
        if !papers.customer.is_empty() {
            blocks.push(text(vec![soft("Customer:"), plain(&papers.customer)]));
        }
        if let Some(before) = papers.came_back_of {
            blocks.push(text(vec![strong(format!("It came back: job {before} was about the same."))]));
        }
        if papers.closed_at.is_none() {
            let spans = vec![strong("Draft."), plain("The job is open. This report can still change, and nobody has signed it.")];
            blocks.push(Block::Notice { spans, class: "notice" });
        }
        let flag = &self.record.flag;
        if flag.word != Word::MayRun {
            let spans = vec![strong(format!("{}.", flag.word.label())), plain(&flag.why), plain(&flag.instead)];
            blocks.push(Block::Notice { spans, class: flag_class(flag.word) });
        }
        blocks
    }

    fn before_and_after(&self, map: String) -> Vec<Block> {
        let mut blocks = vec![heading("Before and after")];
        let pairs = pairs(&self.record.points, self.unit);
        if !pairs.is_empty() {
            blocks.push(Block::Table {
                head: vec!["Point of the sheet", "Limit", "Before", "After"],
                shares: vec![4, 3, 4, 4],
                rows: pairs.iter().map(pair).collect(),
            });
        }
        blocks.extend(self.checked_again());
        if let Some(proof) = &self.record.proven {
            blocks.push(Block::Decision { of: "After the repair:".to_owned(), said: (prove::shape(&proof.word), proof.word.label()) });
            if proof.word != ProofWord::Proven {
                blocks.extend(proof.says.iter().map(|said| text(vec![plain(said)])));
            }
        }
        if self.record.rule_of_thumb {
            blocks.push(text(vec![
                plain("No sheet was at hand: judged by the rule of thumb of 70 kPa (10 psi) for each 1000 rpm hot."),
                strong("This is not a pass for a warranty."),
            ]));
        } else if self.full() {
            let source = self.record.case.spec.as_ref().map(sheet_name).unwrap_or_default();
            blocks.push(text(vec![soft("Limits:"), plain(format!("{source}."))]));
            let verdict = Said::new(String::new(), self.record.verdict);
            blocks.push(Block::Decision { of: "Verdict before:".to_owned(), said: decided(&verdict) });
        }
        blocks.push(Block::Picture(Picture {
            svg: map,
            alt: "Pressure over speed, before and after, with the limits and the healthy engine's band".to_owned(),
            caption:
                "Green: before · dark: after · hollow: cold · error bar: uncertainty (two standard uncertainties) · red: outside the limit"
                    .to_owned(),
        }));
        blocks
    }

    /// The checks made after the repair, each beside the same check before it; those of the list that nobody made are named.
    fn checked_again(&self) -> Option<Block> {
        let (know, evidence) = (knowledge(), &self.record.case.evidence);
        if self.record.repairs.is_empty() {
            return None;
        }
        let found = |check: &str, after: bool| {
            let of = evidence.iter().filter(|entry| entry.check == check && (entry.phase == Some(Phase::After)) == after);
            let last = of.max_by_key(|entry| entry.at)?;
            know.found(check, &last.outcome).map(|(_, outcome)| outcome.label.clone())
        };
        let again = evidence.iter().filter(|entry| entry.phase == Some(Phase::After)).map(|entry| entry.check.as_str());
        let others: Vec<&str> = again.filter(|check| !RECHECK.contains(check)).collect();
        let row = |check: &str| {
            let cell = |said: Option<String>, tone: Tone, none: &str| {
                said.map_or_else(|| Cell::new(Tone::Soft, none), |said| Cell::new(tone, said))
            };
            let ask = know.check(check)?.ask.clone();
            let (before, after) = (found(check, false), found(check, true));
            Some(vec![Cell::new(Tone::Strong, ask), cell(before, Tone::Plain, "not checked"), cell(after, Tone::Strong, "not checked")])
        };
        let rows: Vec<Vec<Cell>> = RECHECK.into_iter().chain(others).filter_map(row).collect();
        Some(Block::Table { head: vec!["Checked", "Before the repair", "After the repair"], shares: vec![5, 4, 4], rows })
    }

    fn readings(&self) -> Vec<Block> {
        let mut rows: Vec<(bool, Vec<Cell>)> = self.record.readings.iter().filter_map(|taken| self.reading(taken)).collect();
        rows.sort_by_key(|(after, _)| *after);
        let mut blocks = vec![heading("Readings")];
        blocks.push(Block::Table {
            head: vec!["Repair", "Point", "Read", "Doubt", "Limit", "Says", "Who, when, with what"],
            shares: vec![3, 7, 4, 4, 6, 5, 8],
            rows: rows.into_iter().map(|(_, row)| row).collect(),
        });
        blocks.extend(self.instruments().into_iter().map(|gauge| text(vec![soft("Instrument:"), plain(gauge)])));
        blocks
    }

    fn reading(&self, taken: &ReadingSaid) -> Option<(bool, Vec<Cell>)> {
        let reading = self.record.case.readings.get(taken.reading)?;
        let after = reading.phase == Phase::After;
        let judged = Said::new(String::new(), taken.judged.decision);
        let says = if taken.point.is_none() { (Decision::NotMeasured.id(), "no limit") } else { decided(&judged) };
        let limit = taken.point.map_or_else(|| "no limit here".to_owned(), |p| limit_words(p.min_kpa, p.max_kpa, self.unit));
        let gauge = reading.instrument.as_ref().map(|gauge| format!(" · {gauge}")).unwrap_or_default();
        let from = taken.of_run.map(|(from, to)| format!(" · {from:.1} to {to:.1} s of its recording")).unwrap_or_default();
        let apart = reading.set_aside.as_ref().map(|why| format!(" · ignored: {why}")).unwrap_or_default();
        let row = vec![
            Cell::new(Tone::Soft, if after { "after" } else { "before" }),
            Cell::new(Tone::Plain, reading_place(reading, self.unit)),
            Cell::new(Tone::Strong, together(&show::pressure(reading.kpa, self.unit))),
            Cell::new(Tone::Plain, together(&show::plus_minus(taken.judged.u_kpa, self.unit))),
            Cell::new(Tone::Plain, with_its_unit(&limit)),
            Cell { span: Span::default(), decision: Some(says) },
            Cell::new(Tone::Soft, format!("{}, {}{gauge}{from}{apart}", taken.who, self.when(taken.at))),
        ];
        Some((after, row))
    }

    /// The gauges that were used.
    fn instruments(&self) -> Vec<String> {
        let case = &self.record.case;
        let used = |name: &str| case.readings.iter().any(|reading| reading.instrument.as_deref() == Some(name));
        let words = |(name, gauge): (&String, &velvet_dial_core::instrument::Instrument)| {
            let mut calibrated =
                gauge.calibrated_on.map_or_else(|| "no calibration on record".to_owned(), |day| format!("calibrated {day}"));
            let said = [("certificate", &gauge.certificate), ("serial", &gauge.serial)];
            for (what, said) in said.into_iter().filter_map(|(what, said)| said.as_ref().map(|said| (what, said))) {
                calibrated += &format!(", {what} {said}");
            }
            let read = case.readings.iter().filter(|reading| reading.instrument.as_ref() == Some(name)).filter_map(|reading| reading.at);
            if read.map(|at| at.date_naive()).any(|day| gauge.overdue(day)) {
                calibrated += ", overdue when it was read: its class is counted half as wide again";
            }
            let (scale, class) = (show::pressure(gauge.full_scale_kpa, self.unit), show::plain(gauge.class_percent));
            format!("{name}: {scale} full scale, class {class}, {calibrated}")
        };
        case.instruments.iter().filter(|(name, _)| used(name)).map(words).collect()
    }

    fn recordings(&self, strips: Vec<Strip>) -> Vec<Block> {
        if self.record.recordings.is_empty() {
            return Vec::new();
        }
        let mut blocks = vec![heading("Recordings")];
        let mut strips: Vec<Option<Strip>> = strips.into_iter().map(Some).collect();
        for run in &self.record.recordings {
            blocks.push(text(recorded(run)));
            let own = strips.iter_mut().find(|strip| strip.as_ref().is_some_and(|strip| strip.run == run.id)).and_then(Option::take);
            blocks.extend(own.map(|strip| {
                Block::Picture(Picture {
                    svg: strip.svg,
                    alt: format!("The recording {} over time, with the steady readings marked", run.name),
                    caption: strip.caption,
                })
            }));
        }
        blocks
    }

    /// Notes that the technician took into the report.
    fn notes(&self) -> Vec<Block> {
        let taken = self.record.log.iter().filter(|line| line.note && !line.struck);
        let one = |line: &record::Line| text(vec![plain(&line.what), soft(format!("({}, {})", line.who, self.when(line.at)))]);
        let lines: Vec<Block> = taken.map(one).collect();
        if lines.is_empty() { Vec::new() } else { std::iter::once(heading("Noticed besides")).chain(lines).collect() }
    }

    fn photos(&self) -> Vec<Block> {
        let shown = self.record.log.iter().filter(|line| !line.struck);
        let photo = |line: &record::Line| {
            let id = line.photo.clone()?;
            let caption = format!("{} ({}, {})", line.what, line.who, self.when(line.at));
            Some(Photo { jpeg: Vec::new(), id, caption })
        };
        let photos: Vec<Photo> = shown.filter_map(photo).collect();
        if photos.is_empty() { Vec::new() } else { vec![heading("Photos"), Block::Photos { photos }] }
    }

    fn ledger(&self) -> Vec<Block> {
        let row = |line: &record::Line| {
            let tone = if line.struck { Tone::Struck } else { Tone::Plain };
            vec![
                Cell::new(tone, told(line, self.unit)),
                Cell::new(Tone::Soft, &line.reason),
                Cell::new(Tone::Soft, format!("{}, {}", line.who, self.when(line.at))),
            ]
        };
        let rows = self.record.log.iter().map(row).collect();
        vec![heading("How it went"), Block::Table { head: Vec::new(), shares: vec![8, 3, 5], rows }]
    }

    fn small_print(&self, code: Option<String>) -> Vec<Block> {
        let record = self.record;
        let software = if record.software.is_empty() { String::new() } else { format!(" Made with {}.", record.software) };
        let said = format!(
            "The maker's manual, local rules and licensed practice come first; this report states what was measured and how it was weighed. A lamp that goes out proves nothing: the readings above \
             are the proof, as far as there is one. Knowledge {}.{software}",
            record.knowledge
        );
        let mut blocks = vec![heading("What this report rests on"), Block::Small { text: said }];
        if let Some((seal, svg)) = record.seal.as_ref().zip(code) {
            // In two halves, as long as a line of paper.
            let halves =
                |value: &str| value.split_at_checked(value.len() / 2).map_or_else(|| value.to_owned(), |(a, b)| format!("{a} {b}"));
            let check = (!record.papers.code.is_empty())
                .then(|| format!("Code {}: type it at /check on the shop's pages to see what was signed", record.papers.code));
            let signed = seal
                .signed
                .as_ref()
                .map(|signed| [format!("Signed by key {}", signed.key), format!("Signature {}", halves(&signed.value))]);
            let hashes = [format!("Job history {}", seal.head), format!("Case {}", seal.case), format!("Report {}", seal.document)];
            let how = if signed.is_some() {
                "The report was signed once, as the job was closed. The PDF that the shop gives out carries the signed report: “velvet-dial verify report.pdf” shows whether a page or a figure \
                 was changed since, and whose key signed it."
            } else {
                "Every entry of the job history has a hash over the one before it, and the report has one over all of it. Nobody has signed this report."
            };
            let lines = check.into_iter().chain(hashes).chain(signed.into_iter().flatten()).chain([how.to_owned()]).collect();
            blocks.push(Block::Code { svg, lines });
        }
        blocks
    }
}

fn pair(pair: &Pair) -> Vec<Cell> {
    let side = |said: &Option<Said>| match said {
        Some(said) => Cell { span: Span::new(Tone::Strong, &said.text), decision: Some(decided(said)) },
        None => Cell::new(Tone::Soft, "not read"),
    };
    vec![Cell::new(Tone::Strong, &pair.place), Cell::new(Tone::Plain, &pair.limit), side(&pair.before), side(&pair.after)]
}

fn recorded(run: &Recording) -> Vec<Span> {
    if run.digest.is_empty() {
        return vec![plain(format!("Recorded by {}, into this job alone.", run.name))];
    }
    let name = plain(format!("“{}”, fingerprint {}:", run.name, run.digest.chars().take(16).collect::<String>()));
    if run.also_in.is_empty() {
        return vec![name, plain("not used on another job of this shop.")];
    }
    let others: Vec<String> = run.also_in.iter().map(i64::to_string).collect();
    vec![name, Span::new(Tone::Alarm, format!("is in job {} too.", others.join(", ")))]
}

/// A line of the job history; older records say speed and temperature of a reading in their own words.
fn told(line: &record::Line, unit: Units) -> String {
    let place = line
        .place
        .as_ref()
        .map_or_else(|| line.what.clone(), |at| format!("at {:.0} rpm, {}, {}", at.rpm, unit.temp(at.oil_temp_c), at.gear.label()));
    line.kpa.map_or_else(|| place.clone(), |kpa| format!("{} {place}", show::pressure(kpa, unit)))
}

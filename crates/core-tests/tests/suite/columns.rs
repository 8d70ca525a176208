//! Which column is which: by the names that recorders give, in the tongues they come in, and what is never taken for another.
use velvet_dial_core::capture::{CaptureError, Mapping, Quantity, mapping, table};

/// The mapping of a header over three rows that fit it.
fn understood(header: &str, map: Option<&str>) -> Result<Mapping, CaptureError> {
    let columns = header.lines().next().unwrap_or_default().split(';').count();
    let row = |i: usize| (0..columns).map(|column| format!("{}", 10 * column + i)).collect::<Vec<_>>().join(";");
    let file = format!("{header}\n{}\n{}\n{}\n", row(0), row(1), row(2));
    mapping(&table(file.as_bytes())?, map)
}

/// Places of time, pressure, speed and oil temperature, from 0; none where it is not recorded.
fn places(mapping: &Mapping) -> [Option<usize>; 4] {
    [mapping.time.map(|c| c.at), Some(mapping.pressure.at), mapping.speed.map(|c| c.at), mapping.oil_temp.map(|c| c.at)]
}

#[test]
fn names_in_many_tongues_and_manners() {
    for (header, found) in [
        ("Time [s];Oil pressure [bar];Engine speed [rpm];Oil temp [°C]", [Some(0), Some(1), Some(2), Some(3)]),
        ("rpm;oil_temp_c;pressure_kpa;time_ms", [Some(3), Some(2), Some(0), Some(1)]),
        ("Elapsed (min);Speed;Temperature (°F);Press (psi)", [Some(0), Some(3), Some(1), Some(2)]),
        ("extra;t s;kPa;revs;temp C", [Some(1), Some(2), Some(3), Some(4)]),
        ("Zeit;Öldruck [bar];Drehzahl;Öltemperatur [°C]", [Some(0), Some(1), Some(2), Some(3)]),
        ("temps (s);pression huile (bar);régime (tr/min);température huile (°C)", [Some(0), Some(1), Some(2), Some(3)]),
        ("tiempo s;presión aceite bar;rpm;temperatura aceite c", [Some(0), Some(1), Some(2), Some(3)]),
        ("Time/s;p_oil/kPa;n/min-1;T_oil/°C", [Some(0), Some(1), Some(2), Some(3)]),
        ("t [ms];P Oil [mbar];N [1/min];T Oil [C]", [Some(0), Some(1), Some(2), Some(3)]),
        ("Time s;Oil press psi;Coolant temp F;Oil temp F;RPM", [Some(0), Some(1), Some(4), Some(3)]),
        ("time s;boost bar;fuel pressure bar;oil pressure bar;rpm", [Some(0), Some(3), Some(4), None]),
        ("time s;pressure bar;vehicle speed km/h;rpm", [Some(0), Some(1), Some(3), None]),
        ("time s;test gauge kPa;pressure line kPa;rpm", [Some(0), Some(1), Some(3), None]),
        ("time s;kPa", [Some(0), Some(1), None, None]),
        ("time s;pressure in bar;speed in rpm", [Some(0), Some(1), Some(2), None]),
    ] {
        let mapping = understood(header, None);
        assert_eq!(mapping.as_ref().map(places), Ok(found), "{header}");
        let silent = mapping.map(|mapping| mapping.assumed.len()).unwrap_or_default();
        assert!(silent >= found.iter().filter(|place| place.is_none()).count(), "{header}: what is not recorded is said");
    }
}

#[test]
fn what_is_not_sure_is_asked_and_nothing_is_taken_for_oil() {
    use Quantity::{OilTemp, Pressure, Speed, Time};
    for (header, missing) in [
        ("a;b;c;d", vec![Time, Pressure]),
        ("time s;pressure;rpm;temp c", vec![Pressure]),
        ("time s;oil pressure bar;oil pressure kpa;rpm", vec![Pressure]),
        ("pressure bar;rpm;temp c", vec![Time]),
        ("time s;boost bar;rpm", vec![Pressure]),
        ("time s;brake pressure bar;rpm", vec![Pressure]),
        ("time s;pressure bar;rpm;speed rpm", vec![Speed]),
        ("time s;pressure bar;rpm;oil temp c;oil temp sump c", vec![OilTemp]),
    ] {
        match understood(header, None) {
            Err(CaptureError::Unnamed { missing: told, columns }) => {
                assert_eq!(told, missing, "{header}");
                assert_eq!(columns.len(), header.split(';').count());
            }
            other => panic!("{header}: {other:?}"),
        }
    }
    for cold in ["coolant temp c", "water temp c", "ECT c", "air temp c", "gearbox oil temp c"] {
        let mapping = understood(&format!("time s;pressure bar;rpm;{cold}"), None);
        assert!(mapping.is_ok_and(|mapping| mapping.oil_temp.is_none()), "{cold} is not the engine's oil");
    }
}

#[test]
fn a_persons_map_goes_over_what_the_header_says() {
    let header = "time s;oil pressure bar;spare kPa;rpm;temp c";
    for (map, found) in [
        ("pressure=3:kPa", [Some(0), Some(2), Some(3), Some(4)]),
        ("pressure=SPARE kPa:psi", [Some(0), Some(2), Some(3), Some(4)]),
        ("speed=5,oil_temp=4:f", [Some(0), Some(1), Some(4), Some(3)]),
        ("rate=50", [None, Some(1), Some(3), Some(4)]),
        ("", [Some(0), Some(1), Some(3), Some(4)]),
    ] {
        // A name with a space in it is written by its number: the parts of a map are parted by spaces too.
        let map = map.replace("SPARE kPa", "3");
        assert_eq!(understood(header, Some(&map)).as_ref().map(places), Ok(found), "{map}");
    }
    let volts = understood("a;b;c", Some("time=1:ms,pressure=2:0.5..4.5V=0..10bar,speed=3:hz/2")).map(|mapping| {
        let kpa = |cell: f64| mapping.pressure.unit.of(cell).round();
        (kpa(0.5), kpa(2.5), kpa(4.5), mapping.time.map(|time| time.unit.factor))
    });
    assert_eq!(volts, Ok((0.0, 500.0, 1000.0, Some(0.001))));
    let absolute = understood("t s;p bara", Some("pressure=2:bara")).map(|mapping| mapping.pressure.unit.of(1.013_25).round());
    assert_eq!(absolute, Ok(0.0), "the air's own pressure is taken off");
}

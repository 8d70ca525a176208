//! Oil: its defining points, published values, what thins and thickens it, and where the relations end.
use proptest::prelude::*;
use velvet_dial_core::oil::{self, Fuel, MOST_FUEL_SHARE, MOST_SHEARED, MOST_THICKENED, Oil, OilError, TEMP_RANGE_C, blend_mm2_s};

prop_compose! {
    /// Engine oils from the thinnest to the thickest: a viscosity at 100 °C and a viscosity index in the usual range, given as a ratio.
    fn oils()(nu_100 in 5.0..25.0f64, ratio in 4.6..9.5f64, density in 820.0..910.0f64) -> Oil {
        Oil::new(nu_100 * ratio, nu_100, density).unwrap()
    }
}

fn nu(oil: &Oil, temp_c: f64) -> f64 {
    oil.nu_mm2_s(temp_c).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn hotter_is_thinner_everywhere(oil in oils(), a in -20.0..150.0f64, b in -20.0..150.0f64) {
        let (cold, hot) = (a.min(b), a.max(b));
        prop_assume!(hot - cold > 0.01);
        prop_assert!(nu(&oil, cold) > nu(&oil, hot));
        prop_assert!(oil.mu_pa_s(cold) > oil.mu_pa_s(hot) && oil.density_kg_m3(cold) > oil.density_kg_m3(hot));
        prop_assert!((oil.mu_pa_s(hot) - nu(&oil, hot) * 1e-6 * oil.density_kg_m3(hot)).abs() < 1e-12);
    }

    #[test]
    fn walther_is_a_straight_line_in_its_own_paper(oil in oils(), t in -15.0..140.0f64) {
        let place = |t: f64| (t + 273.15).log10();
        let height = |t: f64| (nu(&oil, t) + 0.7).log10().log10();
        let slope = |a: f64, b: f64| (height(b) - height(a)) / (place(b) - place(a));
        prop_assert!((slope(40.0, 100.0) - slope(t, t + 8.0)).abs() < 1e-6 * slope(40.0, 100.0).abs());
    }

    #[test]
    fn more_fuel_is_thinner_and_none_changes_nothing(oil in oils(), a in 0.0..MOST_FUEL_SHARE, b in 0.0..MOST_FUEL_SHARE, t in 0.0..130.0f64) {
        let (less, more) = (a.min(b), a.max(b));
        for fuel in [Fuel::Petrol, Fuel::Diesel] {
            prop_assert!((nu(&oil.diluted(fuel, 0.0).unwrap(), t) / nu(&oil, t) - 1.0).abs() < 1e-6);
            prop_assert!(nu(&oil.diluted(fuel, more).unwrap(), t) <= nu(&oil.diluted(fuel, less).unwrap(), t) * (1.0 + 1e-9));
        }
        // Petrol thins more than diesel.
        prop_assume!(more > 0.005);
        prop_assert!(nu(&oil.diluted(Fuel::Petrol, more).unwrap(), 100.0) < nu(&oil.diluted(Fuel::Diesel, more).unwrap(), 100.0));
    }

    #[test]
    fn a_blend_lies_between_its_parts_and_is_the_same_from_either_side(thick in 3.0..300.0f64, thin in 0.5..3.0f64, share in 0.0..=1.0f64) {
        let mixed = blend_mm2_s(thick, thin, share);
        prop_assert!(mixed <= thick * (1.0 + 1e-9) && mixed >= thin * (1.0 - 1e-9));
        prop_assert!((blend_mm2_s(thin, thick, 1.0 - share) / mixed - 1.0).abs() < 1e-9);
    }

    #[test]
    fn shear_takes_more_of_the_hot_end_and_oxidation_thickens_both(oil in oils(), sheared in 0.0..MOST_SHEARED, thickened in 0.0..MOST_THICKENED) {
        let thin = oil.aged(sheared, 0.0).unwrap();
        prop_assert!((nu(&thin, 100.0) / nu(&oil, 100.0) - (1.0 - sheared)).abs() < 1e-9);
        prop_assert!((nu(&thin, 40.0) / nu(&oil, 40.0) - (1.0 - 0.5 * sheared)).abs() < 1e-9);
        let thick = oil.aged(0.0, thickened).unwrap();
        prop_assert!((nu(&thick, 100.0) / nu(&oil, 100.0) - 1.0 - thickened).abs() < 1e-9);
        prop_assert!(nu(&thick, 20.0) >= nu(&oil, 20.0) * (1.0 - 1e-9));
    }

    #[test]
    fn what_lies_outside_is_refused_and_named(t in prop_oneof![-200.0..-20.1f64, 150.1..900.0f64], share in prop_oneof![-5.0..-0.001f64, 3.01..9.0f64]) {
        let oil = oil::typical("5W-30").unwrap();
        prop_assert_eq!(oil.nu_mm2_s(t), Err(OilError::Temperature { temp_c: t }));
        for refused in [oil.diluted(Fuel::Petrol, share), oil.aged(share, 0.0), oil.aged(0.0, share)] {
            let refused = refused.unwrap_err();
            let told = if let OilError::Share { share, .. } = refused { share } else { f64::NAN };
            prop_assert!(told == share && refused.to_string().contains("outside 0 to"));
        }
        // The circuit may not stop for a hot film: it holds the end of the range.
        let end = if t < 0.0 { *TEMP_RANGE_C.start() } else { *TEMP_RANGE_C.end() };
        prop_assert_eq!(oil.mu_pa_s(t), oil.mu_pa_s(end));
    }
}

/// Straight grades by the curve fit of Seireg and Dandage, *J. Lubrication Technology* 104 (1982) 135–148, as machine design texts print it:
/// μ = μ0·exp(b/(T + 95)), μ0 in reyn (6894.757 Pa·s), T in °F. Through its values at 40 and 100 °C our oil must give its other values to 5 %: both laws
/// are fits by two numbers, and a grade of J300 is 13 % wide to either side, so within 5 % nobody would call it another grade.
#[test]
fn straight_grades_follow_a_published_curve() {
    let grades =
        [(10, 0.0158e-6, 1157.5), (20, 0.0136e-6, 1271.6), (30, 0.0141e-6, 1360.0), (40, 0.0121e-6, 1474.4), (50, 0.0170e-6, 1509.6)];
    for (grade, mu0_reyn, b) in grades {
        let published_pa_s = |temp_c: f64| mu0_reyn * 6894.757 * f64::exp(b / (1.8 * temp_c + 32.0 + 95.0));
        let density = |temp_c: f64| 880.0 * (1.0 - 7.0e-4 * (temp_c - 15.0));
        let nu_published = |temp_c: f64| 1e6 * published_pa_s(temp_c) / density(temp_c);
        let oil = Oil::new(nu_published(40.0), nu_published(100.0), 880.0).unwrap();
        for temp_c in [50.0, 60.0, 70.0, 80.0, 90.0, 110.0, 120.0, 130.0] {
            let ratio = oil.mu_pa_s(temp_c) / published_pa_s(temp_c);
            assert!((ratio - 1.0).abs() < 0.05, "SAE {grade} at {temp_c} °C: {ratio}");
        }
    }
    // And a monograde of ours is where that curve has its grade, to the width of a grade.
    for (name, mu0_reyn, b) in [("30", 0.0141e-6, 1360.0), ("40", 0.0121e-6, 1474.4), ("50", 0.0170e-6, 1509.6)] {
        let published = mu0_reyn * 6894.757 * f64::exp(b / (1.8 * 100.0 + 32.0 + 95.0));
        let ours = oil::typical(name).unwrap().mu_pa_s(100.0);
        assert!((ours / published - 1.0).abs() < 0.25, "{name}: {ours} against {published}");
    }
}

/// The limits of SAE J300 at 100 °C, and that no oil is taken that is none.
#[test]
fn grades_keep_to_their_windows_and_nonsense_is_refused() {
    let mut windows = 0;
    for grade in oil::grades() {
        let hot = grade.grade.rsplit(['-', 'W']).next().unwrap();
        let window = match hot {
            "8" => 4.0..6.1,
            "12" => 5.0..7.1,
            "16" => 6.1..8.2,
            "20" => 6.9..9.3,
            "30" => 9.3..12.5,
            "40" => 12.5..16.3,
            "50" => 16.3..21.9,
            "60" => 21.9..26.1,
            other => panic!("no J300 window for {other}"),
        };
        windows += 1;
        assert!(window.contains(&grade.nu_100_mm2_s) && grade.reason.len() > 5, "{}", grade.grade);
        let spoken = [grade.grade.to_lowercase(), format!("SAE {}", grade.grade), grade.grade.replace('-', " ")];
        assert!(spoken.iter().all(|text| oil::typical(text).is_ok()), "{spoken:?}");
    }
    assert!(windows >= 20, "all common grades");
    // A lower winter number of the same hot grade is thinner cold, never thicker.
    let cold = |name: &str| oil::typical(name).unwrap().mu_pa_s(-10.0);
    assert!(cold("0W-40") < cold("5W-40") && cold("5W-40") < cold("10W-40") && cold("10W-40") < cold("15W-40"));
    for (nu_40, nu_100, density) in
        [(10.7, 63.0, 852.0), (63.0, 60.0, 852.0), (63.0, 10.7, 85.0), (0.0, 0.0, 852.0), (f64::NAN, 10.0, 852.0), (9000.0, 30.0, 852.0)]
    {
        let refused = Oil::new(nu_40, nu_100, density);
        assert!(matches!(refused, Err(OilError::NotAnOil { .. })), "{nu_40} {nu_100} {density}");
    }
    let unknown = oil::typical("7W-35").unwrap_err().to_string();
    assert!(unknown.contains("7W-35") && unknown.contains("5W-30"), "{unknown}");
}

/// Values of the equation as printed, computed apart from this code, each with its own tolerance.
#[test]
fn oil_agrees_with_the_golden_file() {
    let mut lines = 0;
    for line in include_str!("golden/oil.csv").lines().filter(|line| !line.starts_with('#')) {
        let cells: Vec<&str> = line.split(',').collect();
        let number = |i: usize| cells[i].parse::<f64>().unwrap();
        let oil = Oil::new(number(0), number(1), 870.0).unwrap();
        assert!((nu(&oil, number(2)) / number(3) - 1.0).abs() <= number(4), "{line}: got {}", nu(&oil, number(2)));
        lines += 1;
    }
    assert_eq!(lines, 4);
}

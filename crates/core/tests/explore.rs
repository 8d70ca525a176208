use velvet_dial_core::{case, trace::{Tracer, knowledge::{self,knowledge}}, circuit::*};
#[test] fn explore() {
  println!("{:?}", knowledge::faults());
  let json = r#"{"format":"velvet-dial.case/1","id":"a","engine":{"displacement_l":2.0,"cylinders":4,"idle_rpm":750,"oil_grade":"5W-30","relief_opens_kpa":450,"layout":{"turbo":true}},
  "spec":{"source":"s","in_force_from":"2026-03-01","points":[{"rpm":750,"oil_temp_c":100,"gear":"neutral","min_kpa":100,"max_kpa":null},{"rpm":3000,"oil_temp_c":100,"gear":"neutral","min_kpa":300,"max_kpa":550}]},
  "instruments":{"g1":{"kind":"bourdon","full_scale_kpa":1000,"class_percent":1.6,"graduation_kpa":20,"calibrated_on":"2026-08-14"}},
  "readings":[{"rpm":750,"oil_temp_c":98,"oil_temp_estimated":false,"gear":"neutral","kpa":62,"spread_kpa":4,"instrument":"g1","phase":"before"}],"evidence":[{"check":"level","outcome":"ok"}],"circumstances":["sump_was_off"]}"#;
  let c = case::parse(json.as_bytes()).unwrap();
  let t0=std::time::Instant::now();
  let tr = Tracer::new(&c.engine, &case::spec_points(&c)).unwrap();
  println!("new {:?}", t0.elapsed()); let t0=std::time::Instant::now();
  let d = case::diagnose(&c,&tr,false);
  println!("diag {:?}", t0.elapsed()); let t0=std::time::Instant::now();
  let _ = case::diagnose(&c,&tr,false);
  println!("again {:?}", t0.elapsed());
  println!("{}", serde_json::to_string_pretty(&case::report(&c,&d)).unwrap());
  let h = tr.typical();
  println!("cause: cold idle(20) | hot idle 1500 2000 3000 4500 6000");
  for cause in &knowledge().causes { for s in [0.3,0.8] {
    print!("{:16} {s}: ", cause.id);
    for t in [20.0,100.0] { for rpm in [750.0,1500.,2000.,3000.,4500.,6000.] { print!("{:5.0}", cause.fault.port_kpa(&h,s,Working{rpm,oil_temp_c:t})); } print!(" | "); }
    println!();
  }}
  let t0=std::time::Instant::now(); let mut s=0.0; for i in 0..200000 { s+= h.port_kpa(Working{rpm:700.0+(i%5000) as f64, oil_temp_c: 20.0+(i%97) as f64}); } println!("200k in {:?} {s}", t0.elapsed());
}

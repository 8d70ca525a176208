# What the core says in sentences that are put together when it runs. Each figure comes with its unit, in the units of the person who reads.
# Texts that belong to one check, cause or repair are in its row of knowledge/*.toml. How a translation would be made: ARCHITECTURE.md.

## A recorded run

run-gaps = The recording has { $gaps ->
    [one] 1 gap
   *[other] { $gaps } gaps
  }, { $seconds } s in all. No steady reading spans a gap.
run-at-its-stop = The pressure stays at { $pressure } for { $seconds } s and never passes it: the gauge or recorder is at its stop, and the true pressure is that or more.
run-never-moves = The pressure is { $pressure } from the first row to the last: the line is shut, the gauge keeps a peak, or the channel is dead. It was not used.
run-below-zero = The pressure goes below zero, to { $pressure }. It is shown as recorded; the zero of the transducer is off.
run-zero-moved = The zero moved during the run: { $before } before the start, { $after } after the stop. What was read between is uncertain by the same amount.
run-zero-off = With the engine standing it reads { $zero }: every pressure of the run is off by that.
run-vehicle-is-electrical = The vehicle's own signal moves while the test gauge is still. That is electrical: check sender, plug and wiring.
run-vehicle-is-off = The vehicle's own pressure is { $difference } off the test gauge at most: if the gauge is good, the fault is in the indication.
run-ordinary-engine = What thinning explains is an ordinary two-litre engine's on 5W-30: give the engine's card for its own.
run-slow-to-show = Pressure took { $seconds } s to show: more than about six is a reason to stop a filled engine of a car.
run-falls-with-speed = Above its highest point, pressure falls again as speed rises. The pump gets too little oil: screen, pickup joint or low level.
run-pulses-guessed = Pulses per revolution are not given: { $pulses } would make the slowest running { $speed } rpm. Enter how many there are if that is not the idle.

run-no-column = No column has the { $what }. Type it for each reading that you record.
run-rate-from-header = No column has the time. The header rows say { $rate } rows a second; that is used.
run-left-out = Left out: { $rows ->
    [one] 1 row
   *[other] { $rows } rows
  }. For example line { $line } has “{ $cell }” for “{ $name }”.
run-cut-off = The last line is cut off: it was left out.
run-no-temperature-unit = “{ $name }” has no unit: taken as { $unit }.
run-over-range = Left out: { $pressures ->
    [one] 1 pressure
   *[other] { $pressures } pressures
  } beyond any gauge (over range, or the wrong unit).
run-speeds-below-zero = { $speeds ->
    [one] One speed is
   *[other] { $speeds } speeds are
  } below zero: taken as standing still.
run-speeds-too-high = { $speeds ->
    [one] One speed is
   *[other] { $speeds } speeds are
  } beyond any engine's: left out.
run-temperatures-too-far = { $temperatures ->
    [one] One oil temperature is
   *[other] { $temperatures } oil temperatures are
  } beyond what a probe can measure: left out.
run-no-time-unit = The times have no unit: taken as { $unit }, since rows are { $step } apart.
run-no-time = Left out: { $rows ->
    [one] 1 row
   *[other] { $rows } rows
  } without a time.
run-times-repeat = Left out: { $rows ->
    [one] 1 row
   *[other] { $rows } rows
  } whose time repeats or steps back a little.
run-clock-restarts = The clock starts again { $times ->
    [1] once
    [2] twice
   *[other] { $times } times
  }. What follows is joined on after a gap.
run-coarse-clock = Many rows share a time, as of a clock that ticks coarsely: they were spread evenly between its ticks.
run-thinned = The run is long: one in { $every } of its samples is used here and saved. Zoom in to see every one.

warm-clearance = From { $from } to { $to } idle pressure falls to { $measured } %; thinning alone explains { $explained } %. What is left over points to clearance, or to oil that thins more than its grade.
warm-held = From { $from } to { $to } idle pressure falls to { $measured } % only, where thinning alone would make it { $explained } %: look for a relief valve at its limit, thicker oil or a peak pointer that was not reset.
warm-thinning = From { $from } to { $to } idle pressure falls to { $measured } %, as the oil's own thinning explains ({ $explained } %).

## The running engine

stop-no-pressure = Stop the engine. No pressure { $seconds } s after the first turn.
stop-over = Stop the engine. { $pressure } is over its upper stop line of { $line }: filter or cooler can burst.
stop-below = Stop the engine. { $pressure } at { $speed } rpm is below its stop line of { $line }.
stop-lost = If the engine is running, stop it. The pressure fell to zero.

## The sheet

sheet-limit-is-strange = { $limit } as the { $which ->
    [least] least
   *[most] most
  } at { $speed } rpm is far from what sheets ask there, { $from } to { $to } ({ $from_other } to { $to_other }): check the unit.
sheet-filter-drop = The sheet allows at most { $drop } between them.

## Calculators: figures that do not go together

calculator-fill = Of { $capacity } l with filter, { $left } l left in and { $filter } l for the filter leave nothing to pour; check the three volumes.
calculator-restrictor = Pressure falls over a restrictor: { $behind } behind it must be less than { $before } before it.
calculator-limit-under-new = A limit of { $limit } mm is under the new clearance of { $new } mm; check the two.
calculator-journals = { $given ->
    [0] No journals were
    [one] One journal was
   *[other] { $given } journals were
  } given; enter 1 to { $most }.
calculator-feed = Pressure rises as the feed is closed: { $open } open, { $wanted } wanted and { $shut } shut must rise in this order. Read all three at the same speed and oil temperature.
calculator-gauge-order = Pressures must rise: first the limit ({ $least }), then the highest hot one ({ $working }), then the cold peak ({ $peak }).
calculator-no-gauge = No gauge to choose from; enter the shop's gauges first.
calculator-mixture = Give what is mixed in: another grade, or petrol or diesel, one of the two.
calculator-speed = { $speed } rpm turns no engine; check the pulses per revolution ({ $pulses }) and the rate ({ $rate } Hz).
calculator-spring-longer = A spring of { $free } mm free length cannot be { $fitted } mm long when fitted; fitted it is shorter.
calculator-shim = A shim of { $shim } mm leaves nothing of { $fitted } mm for the spring; enter the shim's own thickness.
calculator-spring-solid = A spring of { $fitted } mm fitted is solid at { $solid } mm: the valve could not open; measure both again.
calculator-opens-at-nothing = The valve cannot be set to open at zero pressure; enter the sheet's opening pressure.
calculator-signal = The signal rises from { $low } V at zero pressure to { $high } V at full scale; full scale must be the greater.
calculator-supply = A supply of { $supply } V feeds no transducer; measure it at the plug.
calculator-idle-without-pressure = An idle without any pressure lights every lamp: shut it off, and do not run it to find out.
calculator-print = A print of { $print } mm is narrower than its wire of { $wire } mm: it was not pressed, or one of the two is misread.
calculator-wire = Give the wire's diameter, or two or more marks of the packet's scale: the wider the print, the smaller the clearance.
calculator-pitch = A pitch of { $pitch } mm is { $is } threads per inch, not { $given }; enter one of the two.
calculator-sump = A sump of { $length } × { $width } × { $depth } mm holds { $holds } l; { $oil } l do not fit in it.
calculator-joint = The joint must lie in the sump: 0 to { $length } mm from its front and 0 to { $depth } mm over its floor.
calculator-nothing-to-compare = Nothing to compare: read both at the same moment, at idle and at 2000.
calculator-tasks = { $tasks ->
    [0] Nothing can be planned without a task
   *[other] { $tasks } tasks cannot be planned
  }; enter 1 to { $most }.
calculator-hours = The shop opens at { $opens } and closes at { $closes }; it must close later on the same day.
calculator-no-room = The { $days } days before the hand-over have no room for it; check the day, the shop's hours and the tasks' minutes.
calculator-standing = A standing engine builds nothing; enter the speed it is cranked at, about 250 rpm.
calculator-oil = { $error }

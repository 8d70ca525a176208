// The run strip on canvas: pressure with its least and greatest, speed and oil over time, live or recorded. What is drawn comes from the server in steps that lose no peak;
// a zoom asks for finer ones.
"use strict";

// The pressure scale reaches at least so far up, so that the noise of an engine at rest is not drawn as high as a swing.
const VD_LEAST_TOP = { kPa: 100, bar: 1, psi: 15 };
const vdColour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

// One strip in a box. `taken` hears the zoom.
const vdStrip = (box, { unit, height = 220, zoomed = null, pressed = null }) => {
  const soft = vdColour("--color-soft");
  const line = vdColour("--color-line");
  const font = `13px Archivo, sans-serif`;
  const axis = (extra) => ({ stroke: soft, font, ticks: { stroke: line, size: 4 }, grid: { stroke: line, width: 1 }, ...extra });
  const clock = (seconds) => (seconds < 120 ? `${Math.round(seconds * 10) / 10} s` : `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`);
  const least = { scale: "p", width: 0, points: { show: false }, label: "least" };
  const plot = new uPlot({
    width: Math.max(box.clientWidth, 200), height,
    legend: { show: false },
    cursor: { drag: { x: zoomed !== null, y: false, setScale: zoomed !== null }, points: { show: false } },
    select: { show: zoomed !== null },
    scales: { x: { time: false }, p: { range: (_, low, high) => [Math.min(0, low ?? 0), Math.max((high ?? 1) * 1.06, VD_LEAST_TOP[unit] ?? 0.1)] }, n: { range: (_, low, high) => [0, Math.max((high ?? 1000) * 1.15, 1000)] }, c: { range: box.dataset.temperature === "f" ? [32, 302] : [0, 150] } },
    axes: [axis({ size: 30, values: (_, all) => all.map(clock), space: 70 }), axis({ scale: "p", size: 54, values: (_, all) => all.map((v) => `${v}`) }), axis({ scale: "n", side: 1, size: 54, grid: { show: false } })],
    series: [
      {},
      least,
      { scale: "p", width: 0, points: { show: false }, label: "greatest" },
      { scale: "p", stroke: vdColour("--color-verdigris"), width: 2, points: { show: false }, label: unit },
      { scale: "n", stroke: vdColour("--color-brass-bar"), width: 1.5, points: { show: false }, label: "rpm" },
      { scale: "c", stroke: soft, width: 1.5, dash: [5, 3], points: { show: false }, label: "°C" },
      { scale: "p", stroke: vdColour("--color-alarm"), width: 1.2, dash: [2, 3], points: { show: false }, label: "dash" },
    ],
    bands: [{ series: [2, 1], fill: `color-mix(in srgb, ${vdColour("--color-verdigris")} 30%, transparent)` }],
    hooks: {
      setScale: [(u, key) => { if (key === "x" && zoomed) zoomed(u.scales.x.min, u.scales.x.max, u); }],
      ready: [(u) => { if (pressed) pressed(u); }],
    },
  }, [[], [], [], [], [], [], []], box);
  new ResizeObserver(() => plot.setSize({ width: Math.max(box.clientWidth, 200), height })).observe(box);
  return plot;
};
// Marked moments, numbered, over a strip; told again when its scale moves.
const vdMarks = (plot) => {
  let lines = [];
  return (times) => {
    while (lines.length < times.length) { const line = document.createElement("div"); line.className = "strip-mark"; line.textContent = lines.length + 1; plot.over.append(line); lines.push(line); }
    lines.splice(times.length).forEach((line) => line.remove());
    times.forEach((time, i) => { const x = plot.valToPos(time, "x"); lines[i].hidden = !(x >= 0 && x <= plot.over.clientWidth); lines[i].style.transform = `translateX(${x}px)`; });
  };
};
// Rows of time, least, mean, greatest, speed, oil, dash to columns; a pause longer than a few steps is a gap and no line.
const vdColumns = (rows, gap) => {
  const out = [[], [], [], [], [], [], []];
  let last = null;
  for (const [t, low, mean, high, rpm, oil, dash] of rows) {
    if (last !== null && t - last > gap) { out[0].push((last + t) / 2); for (let i = 1; i < 7; i += 1) out[i].push(null); }
    [t, low, high, mean, rpm, oil, dash].forEach((value, i) => out[i].push(value));
    last = t;
  }
  return out;
};

// The strip stands: now what the run tells is asked for, which takes longer. What asks is there once the page is loaded.
const vdDrawn = () => {
  const later = document.querySelector("[data-told]");
  if (!later) return;
  const ask = () => htmx.ajax("GET", later.dataset.told, { target: later, swap: "outerHTML" });
  if (document.readyState === "complete") ask(); else window.addEventListener("load", ask);
};

// A recorded run: zoom, two cursors, holds that can be moved.
const vdRecorded = (box) => {
  const unit = box.dataset.unit;
  const says = document.getElementById("strip-says");
  let whole = null;
  let asked = 0;
  let shown = null;
  const cursors = [null, null];
  const ask = async (from, to) => {
    asked += 1;
    const mine = asked;
    // The whole is asked for as the page's head asks for it beforehand; a closer look by the width that there is.
    const answer = await fetch(from === null ? box.dataset.strip : `${box.dataset.strip}?points=${Math.max(300, Math.round(box.clientWidth))}&from=${from}&to=${to}`);
    if (!answer.ok || mine !== asked) { if (!answer.ok) vdDrawn(); return; }
    const told = await answer.json();
    // The plot tells of its scale later, and of this one too.
    shown = [from ?? told.from, to ?? told.to];
    plot.setData(vdColumns(told.rows, told.gap), false);
    plot.setScale("x", { min: shown[0], max: shown[1] });
    if (from === null) { whole = [told.from, told.to]; box.dataset.drawn = Math.round(performance.now()); vdDrawn(); }
    box.dataset.zoomed = mine;
    layHolds();
  };
  let later = 0;
  const zoomed = (min, max) => {
    if (whole === null || (min === shown[0] && max === shown[1])) return;
    clearTimeout(later);
    later = setTimeout(() => ask(Math.max(min, whole[0]), Math.min(max, whole[1])), 30);
  };
  const plot = vdStrip(box, { unit, height: 300, zoomed });
  const text = (index) => {
    const at = (i) => plot.data[i][index];
    const say = (value, what) => (value === null || value === undefined ? "" : `${value} ${what}`);
    return [`${at(0)?.toFixed(2)} s`, say(at(3), unit), say(at(4), "rpm"), say(at(5), box.dataset.temperature === "f" ? "°F" : "°C"), say(at(6), `${unit} dash`)].filter(Boolean).join(", ");
  };
  const tell = () => {
    const said = cursors.map((time, i) => (time === null ? "" : `${"AB"[i]}: ${text(plot.valToIdx(time))}`)).filter(Boolean);
    if (cursors[0] !== null && cursors[1] !== null) {
      const [a, b] = cursors.map((time) => plot.data[3][plot.valToIdx(time)]);
      said.push(`B − A: ${(cursors[1] - cursors[0]).toFixed(2)} s, ${(b - a).toFixed(unit === "bar" ? 2 : 1)} ${unit}`);
    }
    says.textContent = said.join(" · ") || "A tap sets cursor A, the next B. Drag across to look closer, double tap for the whole.";
  };
  // Marks that lie over the plot: cursors and holds.
  const over = plot.over;
  const lines = cursors.map((_, i) => { const mark = document.createElement("div"); mark.className = "strip-cursor"; mark.textContent = "AB"[i]; mark.hidden = true; over.append(mark); return mark; });
  const place = (mark, time) => { const x = plot.valToPos(time, "x"); mark.hidden = x < 0 || x > over.clientWidth; mark.style.transform = `translateX(${x}px)`; };
  let turn = 0;
  let down = null;
  over.addEventListener("pointerdown", (event) => { down = event.clientX; });
  over.addEventListener("pointerup", (event) => {
    if (down === null || Math.abs(event.clientX - down) > 4 || event.target.closest(".strip-hold")) return;
    const time = plot.posToVal(event.clientX - over.getBoundingClientRect().left, "x");
    cursors[turn % 2] = time;
    turn += 1;
    layHolds();
  });
  over.addEventListener("dblclick", () => ask(null, null));
  let holds = [];
  let marks = [];
  const layMarks = vdMarks(plot);
  const judge = (hold) => {
    const row = document.getElementById(`hold-${hold.number}`);
    if (row) htmx.ajax("GET", `${box.dataset.judge}?number=${hold.number}&from=${hold.from.toFixed(3)}&to=${hold.to.toFixed(3)}`, { target: row, swap: "outerHTML" });
  };
  const handle = (hold, side) => {
    const grip = document.createElement("button");
    grip.type = "button";
    grip.className = `strip-grip strip-grip-${side}`;
    grip.setAttribute("aria-label", `${side === "from" ? "Beginning" : "End"} of hold ${hold.number}; arrow keys move it`);
    const move = (time) => {
      const other = side === "from" ? hold.to : hold.from;
      hold[side] = side === "from" ? Math.max(Math.min(time, other - 1), whole[0]) : Math.min(Math.max(time, other + 1), whole[1]);
      layHolds();
    };
    grip.addEventListener("pointerdown", (event) => {
      event.stopPropagation();
      event.preventDefault();
      grip.setPointerCapture(event.pointerId);
      const left = over.getBoundingClientRect().left;
      grip.onpointermove = (moved) => move(plot.posToVal(moved.clientX - left, "x"));
      grip.onpointerup = () => { grip.onpointermove = null; grip.onpointerup = null; judge(hold); };
    });
    grip.addEventListener("mousedown", (event) => event.stopPropagation());
    grip.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!step) return;
      event.preventDefault();
      event.stopPropagation();
      move(hold[side] + step * (event.shiftKey ? 1 : 0.1));
      clearTimeout(later);
      later = setTimeout(() => judge(hold), 250);
    });
    return grip;
  };
  const layHolds = () => {
    for (const hold of holds) {
      const [a, b] = [plot.valToPos(hold.from, "x"), plot.valToPos(hold.to, "x")];
      const [left, right] = [Math.max(a, 0), Math.min(b, over.clientWidth)];
      hold.mark.hidden = right <= left;
      hold.mark.style.left = `${left}px`;
      hold.mark.style.width = `${Math.max(right - left, 2)}px`;
    }
    layMarks(marks);
    lines.forEach((mark, i) => { if (cursors[i] !== null) place(mark, cursors[i]); });
    tell();
  };
  const findHolds = () => {
    const told = document.querySelector("[data-holds]");
    if (!told || told.dataset.read) return;
    told.dataset.read = "yes";
    marks = JSON.parse(told.dataset.marks);
    holds.forEach((hold) => hold.mark.remove());
    holds = JSON.parse(told.dataset.holds).map(([from, to], i) => {
      const hold = { number: i + 1, from, to };
      hold.mark = document.createElement("div");
      hold.mark.className = "strip-hold";
      const name = document.createElement("span");
      name.textContent = i + 1;
      hold.mark.append(handle(hold, "from"), name, handle(hold, "to"));
      over.append(hold.mark);
      return hold;
    });
    layHolds();
  };
  document.addEventListener("htmx:after:swap", findHolds);
  document.getElementById("strip-whole")?.addEventListener("click", () => ask(null, null));
  for (const [id, by] of [["strip-closer", 0.5], ["strip-wider", 2]]) {
    document.getElementById(id)?.addEventListener("click", () => {
      if (!whole) return;
      const { min, max } = plot.scales.x;
      const middle = cursors[0] ?? (min + max) / 2;
      const half = ((max - min) / 2) * by;
      ask(Math.max(middle - half, whole[0]), Math.min(middle + half, whole[1]));
    });
  }
  document.getElementById("strip-png")?.addEventListener("click", () => {
    const link = document.createElement("a");
    const paper = document.createElement("canvas");
    const drawn = plot.ctx.canvas;
    [paper.width, paper.height] = [drawn.width, drawn.height];
    const pen = paper.getContext("2d");
    pen.fillStyle = vdColour("--color-paper");
    pen.fillRect(0, 0, paper.width, paper.height);
    pen.drawImage(drawn, 0, 0);
    link.href = paper.toDataURL("image/png");
    link.download = "run.png";
    link.click();
  });
  ask(null, null).then(findHolds);
};
const vdRun = document.querySelector("[data-strip]");
if (vdRun) vdRecorded(vdRun);

// The live gauge: shows what the server says of this moment, takes the hold when the server says that it stands, calls stop, and passes on a stand-in's throttle.
"use strict";

(() => {
  const WINDOW_S = 90;
  let source = null;
  let showing = "";
  let plot = null;
  let rows = [];
  let run = "";
  let offered = null;
  let late = "";
  let keys = null;
  let layMarks = null;
  const taken = new Set();
  const id = (name) => document.getElementById(name);
  const say = (name, text) => { const node = id(name); if (node && node.textContent !== text) node.textContent = text; };
  const show = (name, text) => { const node = id(name); if (node) { node.hidden = !text; say(name, text ?? ""); } };

  const mutedShown = () => { const button = id("live-sound"); if (button) { button.setAttribute("aria-pressed", String(!vdMuted())); button.textContent = vdMuted() ? "Sound off" : "Sound on"; } };

  const take = (stretch, by) => {
    const form = id("live-take");
    if (!form || !stretch) return;
    form.elements.run.value = run;
    form.elements.from_s.value = stretch[0];
    form.elements.to_s.value = stretch[1];
    form.dataset.by = by;
    vdNote(523, 0, 0.12, 0.2);
    vdNote(784, 0.13, 0.18, 0.2);
    form.requestSubmit(form.querySelector("button:not([type])"));
  };

  const hear = (event) => {
    const told = JSON.parse(event.data);
    const live = id("live");
    if (!live) return;
    if (told.run !== run) { run = told.run; rows = []; keys = null; }
    say("live-value", told.value);
    say("head-live", `${told.value} ${told.unit}`);
    say("live-rpm", told.rpm);
    say("live-oil", told.oil && `· ${told.oil}`);
    say("live-dash", told.dash && `· dash says ${told.dash}`);
    show("live-link", told.link);
    show("live-blind", told.blind);
    show("live-codes", told.codes.length ? `The engine's module stores: ${told.codes.join("; ")}.` : "");
    show("live-built", told.built ? `Pressure after ${told.built[0]}.` : "");
    vdMeasured("build_time", told.built?.[1]);
    show("live-needle", told.needle ? `Needle: ${told.needle[0]}` : "");
    vdMeasured("needle", told.needle?.[1]);
    for (const [name, bar] of [["steady", told.steady], ["warm", told.warm]]) {
      const meter = id(`live-${name}`);
      meter.value = bar?.[0] ?? 0;
      meter.classList.toggle("bar-full", (bar?.[0] ?? 0) >= 1);
      say(`live-${name}-says`, bar?.[1] ?? (name === "warm" ? "not asked here" : ""));
    }
    // The oil has left what this point is read at: the screen goes on to the next.
    if (told.late && late !== live.dataset.point) { late = live.dataset.point; htmx.ajax("GET", location.pathname, { target: "#screen", swap: "outerMorph" }); }
    show("live-stop", id("stop-call") ? null : told.stop);
    vdStopCalled(told);
    offered = told.hold ?? told.so_far;
    const form = id("live-take");
    const button = form.querySelector("button:not([type])");
    button.disabled = !offered;
    // A pedal at the rig, or a hold that both bars say stands: once a point.
    if (keys !== null && told.keys > keys && offered) take(offered, "pedal");
    else if (told.hold && form.dataset.held === "true" && !taken.has(`${run} ${live.dataset.point}`)) {
      taken.add(`${run} ${live.dataset.point}`);
      take(told.hold, "itself");
    }
    keys = told.keys;
    if (told.frames.length) {
      rows.push(...told.frames);
      const from = rows.at(-1)[0] - WINDOW_S;
      const first = rows.findIndex((row) => row[0] >= from);
      if (first > 0) rows.splice(0, first);
      plot?.setData(vdColumns(rows, 0.5), true);
    }
    layMarks?.(told.marks);
    show("live-marks", told.marks.length ? `Marked ${told.marks.length}: the last at ${told.marks.at(-1).toFixed(1)} s of the run` : "");
    live.dataset.behind = String(rows.at(-1)?.[0] ?? "");
  };

  // The screen of a tablet stays on while a gauge is live; the system lets go of it whenever the page is hidden.
  let awake = null;
  const stayAwake = async (wanted) => {
    if (!wanted) { awake?.release(); awake = null; return; }
    if (document.visibilityState !== "visible" || (awake && !awake.released)) return;
    awake = await navigator.wakeLock?.request("screen").catch(() => null);
  };
  document.addEventListener("visibilitychange", () => stayAwake(Boolean(id("live"))));

  // The strip stands where the panel stands; a panel that was drawn anew listens anew.
  const begin = () => {
    const live = id("live");
    mutedShown();
    stayAwake(Boolean(live));
    if (!live) { source?.close(); source = null; showing = ""; return; }
    const box = id("live-strip");
    if (box && !box.firstChild) { plot = vdStrip(box, { unit: box.dataset.unit, height: 190 }); layMarks = vdMarks(plot); }
    if (live.dataset.stream === showing && source) return;
    showing = live.dataset.stream;
    source?.close();
    rows = [];
    source = vdListen(showing, hear, () => { show("live-link", "No connection to the server. The rig goes on recording; this page comes back by itself."); say("live-value", "–"); offered = null; });
  };
  document.addEventListener("DOMContentLoaded", begin);
  document.addEventListener("htmx:after:swap", begin);
  window.addEventListener("pagehide", () => source?.close());

  document.addEventListener("submit", (event) => {
    const form = event.target.closest("#live-take");
    if (!form) return;
    // By a tap: what stands this moment.
    if (!form.dataset.by && offered) { form.elements.run.value = run; form.elements.from_s.value = offered[0]; form.elements.to_s.value = offered[1]; }
    delete form.dataset.by;
  }, true);
  document.addEventListener("click", (event) => {
    if (event.target.closest("#live-mark")) mark();
    if (event.target.closest("#live-sound")) { localStorage.setItem("vd-muted", vdMuted() ? "no" : "yes"); mutedShown(); }
    const starter = event.target.closest("[data-starter]");
    if (starter) {
      sessionStorage.removeItem(`vd-throttle:${location.pathname}`);
      hand({ starter: starter.dataset.starter });
    }
  });

  // Marks this moment, with what is noted beside the button.
  const mark = async () => {
    const note = id("live-note");
    const form = new URLSearchParams({ note: note.value });
    try {
      const answer = await fetch(id("live-mark").dataset.to, { method: "POST", body: form });
      if (answer.ok) { note.value = ""; vdNote(660, 0, 0.08, 0.15); } else show("live-marks", "Not marked: nothing is recorded this moment.");
    } catch { show("live-marks", "Not marked: no connection to the server."); }
  };
  document.addEventListener("keydown", (event) => { if (event.target.id === "live-note" && event.key === "Enter") { event.preventDefault(); mark(); } });

  // A stand-in's hand: ten words a second at most, and the last one always.
  let pending = null;
  let busy = false;
  const hand = async (what) => {
    pending = what;
    if (busy) return;
    busy = true;
    while (pending) {
      const next = pending;
      pending = null;
      try { await fetch(id("live-hand").dataset.to, { method: "POST", body: new URLSearchParams(next) }); } catch { /* said by the stream */ }
      await new Promise((done) => setTimeout(done, 100));
    }
    busy = false;
  };
  const left = sessionStorage.getItem(`vd-throttle:${location.pathname}`);
  const throttle = id("live-throttle");
  if (throttle && left) {
    throttle.value = left;
    say("live-throttle-says", Number(left) ? `${left} %` : "idle");
  }
  document.addEventListener("input", (event) => {
    if (event.target.id !== "live-throttle") return;
    const share = Number(event.target.value) / 100;
    say("live-throttle-says", share ? `${event.target.value} %` : "idle");
    // After a reload it stands where the engine was left.
    sessionStorage.setItem(`vd-throttle:${location.pathname}`, event.target.value);
    hand({ throttle: share });
  });
})();

// What the browser does by itself: brings a suspect's curve forward, opens the shortcut sheet, keeps what is typed, and sends again what a
// lost connection swallowed. Everything that is computed comes from the server.
"use strict";

document.addEventListener("alpine:init", () => {
  Alpine.data("screen", () => ({
    front: "",
    drawer: false,
    slide() { this.drawer = !this.drawer; },
    toggle(cause) { this.front = this.front === cause ? "" : cause; },
    isFront(cause) { return this.front === cause; },
  }));
});

// Shortcuts: a digit goes to a station, n to the next check, u changes the unit, ? shows the sheet.
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.closest("input, textarea, select")) return;
  const sheet = document.getElementById("shortcuts");
  if (event.key === "?" && sheet) { event.preventDefault(); sheet.open ? sheet.close() : sheet.showModal(); }
  const target = document.querySelector(`[data-shortcut="${CSS.escape(event.key)}"]`);
  if (target) { event.preventDefault(); target.focus(); if (target.matches("a, [data-at-once]")) target.click(); }
});
// A calculator's address carries its figures as they are typed, so that it can be left, found again and passed on.
document.addEventListener("input", (event) => {
  const form = event.target.closest("#figures");
  if (form) history.replaceState(null, "", `?${new URLSearchParams(new FormData(form))}`);
});
// What is folded and takes a moment is asked for when it is unfolded, and once more where the screen was drawn again meanwhile.
const vdUnfold = (box) => {
  box.dataset.loaded = "yes";
  htmx.ajax("GET", box.dataset.load, { target: box, swap: "innerHTML" });
};
document.addEventListener("toggle", (event) => {
  const box = event.target.open && event.target.querySelector("[data-load]:not([data-loaded])");
  if (box) vdUnfold(box);
}, true);
document.addEventListener("htmx:after:swap", () => document.querySelectorAll("details[open] [data-load]:not([data-loaded])").forEach(vdUnfold));
// Listens to a stream for good: a browser gives up on one that was answered with anything but the stream, as by a server that is only just there again.
const vdListen = (from, hear, lost) => {
  let source = null;
  let again = 0;
  const open = () => {
    source = new EventSource(from);
    source.onmessage = hear;
    source.onerror = () => {
      lost();
      if (source.readyState === EventSource.CLOSED) { clearTimeout(again); again = setTimeout(open, 3000); }
    };
  };
  open();
  return { close: () => { clearTimeout(again); source.close(); } };
};
// The live value in the frame, where no live gauge stands on the page and shows it itself.
document.addEventListener("DOMContentLoaded", () => {
  const head = document.getElementById("head-live");
  if (!head || document.getElementById("live")) return;
  const hear = (event) => { const told = JSON.parse(event.data); head.textContent = `${told.value} ${told.unit}`; vdStopCalled(told); };
  const source = vdListen(head.dataset.from, hear, () => { head.textContent = "–"; });
  window.addEventListener("pagehide", () => source.close());
});
// The board follows what others write, without a reload: the list alone is asked for again, and only while nobody is inside it with the keyboard.
document.addEventListener("DOMContentLoaded", () => {
  const rows = document.getElementById("board-rows");
  if (!rows) return;
  const again = async () => {
    if (rows.contains(document.activeElement)) return;
    const answer = await fetch(location.href);
    const fresh = answer.ok && new DOMParser().parseFromString(await answer.text(), "text/html").getElementById("board-rows");
    if (fresh) rows.replaceChildren(...fresh.childNodes);
  };
  const source = vdListen(rows.dataset.changes, again, () => {});
  window.addEventListener("pagehide", () => source.close());
});
// While a page is open it says what happens elsewhere: the customer answered, a gauge called stop, a foreman is asked. What a tab has heard of, it does not say again.
document.addEventListener("DOMContentLoaded", () => {
  if (!document.body.dataset.who) return;
  const say = (notice) => {
    const box = document.getElementById("notices") || document.body.appendChild(Object.assign(document.createElement("div"), { id: "notices", className: "no-print" }));
    box.setAttribute("role", "status");
    const line = document.createElement("p");
    line.className = notice.alarm ? "notice notice-alarm" : "notice";
    const close = Object.assign(document.createElement("button"), { className: "btn btn-quiet", textContent: "Close" });
    close.addEventListener("click", () => line.remove());
    line.append(Object.assign(document.createElement("a"), { href: notice.href, textContent: notice.text }), close);
    box.append(line);
  };
  const look = async () => {
    if (document.hidden || !navigator.onLine) return;
    try {
      const answer = await fetch(`/notices?since=${encodeURIComponent(sessionStorage.vdHeard || "")}`);
      if (!answer.ok || answer.redirected) return;
      const heard = await answer.json();
      sessionStorage.vdHeard = heard.until;
      heard.notices.forEach(say);
    } catch { /* No connection: the next look hears of it. */ }
  };
  look();
  setInterval(look, 15000);
  document.addEventListener("visibilitychange", look);
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-close]")) event.target.closest("dialog").close();
  if (event.target.closest("[data-print]")) window.print();
  // The menu closes on a tap outside it.
  const menu = document.getElementById("menu");
  if (menu?.open && !menu.contains(event.target)) menu.open = false;
});
// Copies what a field shows. Without a secure connection a browser has no clipboard of its own: then the old way.
document.addEventListener("click", (event) => {
  const copies = event.target.closest("[data-copies]");
  if (!copies) return;
  const field = document.getElementById(copies.dataset.copies);
  const done = () => { copies.textContent = "Copied"; };
  field.select();
  if (navigator.clipboard) navigator.clipboard.writeText(field.value).then(done, () => {});
  else if (document.execCommand("copy")) done();
});
document.addEventListener("keydown", (event) => {
  const menu = document.getElementById("menu");
  if (event.key === "Escape" && menu?.open) { menu.open = false; menu.querySelector("summary").focus(); }
});

// Whoever is signed in. What the browser keeps of one is neither shown to another nor sent in another's name.
const who = () => document.body.dataset.who || "";

// Drafts: what is typed in a form with data-draft outlives a reload, a closed lid and a killed server; a taken form forgets its own.
const draftKey = (draft) => `vd-draft:${who()}:${draft}`;
const forget = (draft) => localStorage.removeItem(draftKey(draft));
document.addEventListener("input", (event) => {
  const form = event.target.closest("form[data-draft]");
  if (!form) return;
  const typed = {};
  for (const field of form.querySelectorAll("[data-keep]")) typed[field.name] = field.value;
  localStorage.setItem(draftKey(form.dataset.draft), JSON.stringify(typed));
});
const restoreDrafts = () => {
  for (const form of document.querySelectorAll("form[data-draft]")) {
    const kept = localStorage.getItem(draftKey(form.dataset.draft));
    if (!kept) continue;
    const typed = JSON.parse(kept);
    for (const field of form.querySelectorAll("[data-keep]")) if (!field.value && typed[field.name]) field.value = typed[field.name];
  }
};
// A form that was sent without script is told to be taken by a cookie of the answer.
const forgetTaken = () => {
  const taken = document.cookie.split("; ").find((cookie) => cookie.startsWith("vd_taken="));
  if (!taken) return;
  forget(decodeURIComponent(taken.slice("vd_taken=".length)));
  document.cookie = "vd_taken=; path=/; max-age=0; samesite=lax";
};

// A form that was taken is empty again and its first field has the cursor, however much of it the swap kept. The form itself may be gone after
// the swap, so it is remembered before.
let taken = null;
document.addEventListener("htmx:before:swap", (event) => {
  const ctx = event.detail?.ctx;
  const draft = ctx?.sourceElement?.closest?.("form")?.dataset.draft;
  taken = draft && ctx.response?.status < 400 ? draft : null;
});
document.addEventListener("htmx:after:swap", () => {
  // Before anything moves the cursor: where both are asked for, the page is then laid out once.
  toStation();
  if (taken) {
    forget(taken);
    for (const field of document.querySelectorAll(`form[data-draft="${CSS.escape(taken)}"] [data-keep]`)) field.value = field.getAttribute("value") ?? "";
    document.querySelector("[data-first]")?.focus();
    taken = null;
  }
  restoreDrafts();
  fade();
});

// On a narrow screen the pipe stands where one is; on a wide one it is never scrolled, and nothing is measured.
const narrow = window.matchMedia("(max-width: 1100px)");
const toStation = () => {
  if (!narrow.matches) return;
  const here = document.querySelector(".station-here");
  const pipe = here?.parentElement;
  if (pipe && pipe.scrollWidth > pipe.clientWidth) pipe.scrollLeft = here.offsetLeft - (pipe.clientWidth - here.offsetWidth) / 2;
};

// What is on offer for a while only.
const fade = () => {
  for (const offer of document.querySelectorAll("[data-fades]:not([data-fading])")) {
    offer.dataset.fading = "yes";
    setTimeout(() => offer.remove(), 1000 * Number(offer.dataset.fades));
  }
};

// A file too large is told before it is sent; the server says no to it as well.
document.addEventListener("change", (event) => {
  const field = event.target.closest("input[type=file][data-most]");
  const large = field?.files[0]?.size > Number(field?.dataset.most);
  if (!field) return;
  document.getElementById(`${field.id}-problem`).textContent = large ? "The file is larger than 64 MB. Cut the run to the part that matters, or record fewer samples a second." : "";
  field.form.querySelector("button").disabled = large;
});

// A photo goes off as soon as it is taken.
document.addEventListener("change", (event) => {
  if (event.target.matches("[data-submits]") && event.target.files.length) event.target.form.requestSubmit();
});

// Sound, which can be muted: a note of so many hertz, in so many seconds, so long, so loud. A browser lets it sound after the first touch of the page.
let sound = null;
const vdMuted = () => localStorage.getItem("vd-muted") === "yes";
const vdNote = (hertz, at, long, loud) => {
  if (vdMuted()) return;
  try {
    sound ??= new AudioContext();
    const tone = sound.createOscillator();
    const level = sound.createGain();
    tone.frequency.value = hertz;
    tone.type = loud > 0.3 ? "square" : "sine";
    level.gain.setValueAtTime(loud, sound.currentTime + at);
    level.gain.exponentialRampToValueAtTime(0.001, sound.currentTime + at + long);
    tone.connect(level).connect(sound.destination);
    tone.start(sound.currentTime + at);
    tone.stop(sound.currentTime + at + long);
    document.body.dataset.sounded = hertz;
  } catch { /* no sound on this device; what is seen says the same */ }
};
const vdStopNotes = () => { vdNote(660, 0.3, 0.25, 0.5); vdNote(880, 0, 0.25, 0.5); };
// A stop that the live gauge calls: the server has written it, so the page is asked for it, and shows it until somebody answers. It sounds meanwhile.
let stopCalled = false;
let stopWritten = false;
const vdStopCalled = (told) => {
  stopCalled = Boolean(told.stop);
  if (told.stop_written && !stopWritten) htmx.ajax("GET", location.pathname + location.search, { target: "#screen", swap: "outerMorph" });
  stopWritten = told.stop_written;
};
setInterval(() => { if (stopCalled || document.getElementById("stop-call")) vdStopNotes(); }, 900);
// The outcome of a check that was measured stands out among its buttons.
const vdMeasured = (check, outcome) => {
  for (const button of document.querySelectorAll(`form:has([name='check'][value='${check}']) [name='outcome']`)) button.classList.toggle("measured", button.value === outcome);
};

// Without a rig the seconds until pressure shows are counted here: once more at the needle's first move, or it calls stop, seen and heard. What the seconds mean the server says.
let counting = null;
const stopCount = (seconds, { normal, slow }) => {
  clearInterval(counting.timer);
  counting = null;
  vdMeasured("build_time", seconds <= normal ? "normal" : seconds <= slow ? "slow" : "none");
};
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-watch]");
  if (!button) return;
  const watch = button.closest("#watch");
  const says = watch.querySelector("output");
  const stop = watch.querySelector(".stop-call");
  if (counting) { button.textContent = "Count again"; stopCount((performance.now() - counting.since) / 1000, watch.dataset); return; }
  stop.hidden = true;
  button.textContent = "The needle moves";
  counting = { since: performance.now() };
  counting.timer = setInterval(() => {
    const seconds = (performance.now() - counting.since) / 1000;
    says.textContent = `${seconds.toFixed(1)} s`;
    if (seconds > watch.dataset.slow) { stop.hidden = false; vdStopNotes(); button.textContent = "Count again"; stopCount(seconds, watch.dataset); }
  }, 50);
});

// The lost connection: what was sent is kept with its form's key, the page says so, and it is sent again until it is answered, in the order it was sent. The
// key makes a second arrival harmless. Kept on the device by who typed it, so a reload, a new sign-in or a tablet that ended the application meanwhile loses nothing.
const waiting = "vd-waiting";
const all = () => JSON.parse(localStorage.getItem(waiting) || "[]");
const mine = () => all().filter((item) => item.who === who());
const setQueue = (items) => {
  localStorage.setItem(waiting, JSON.stringify(items));
  const own = mine();
  document.body.classList.toggle("is-offline", own.some((item) => !item.told));
  tell(own.find((item) => item.told));
};
const change = (key, to) => setQueue(all().flatMap((item) => (item.key === key ? (to ? [{ ...item, ...to }] : []) : [item])));
const jobOf = (path) => path.match(/^\/jobs\/\d+/)?.[0] ?? "";
const keep = (ctx) => {
  const request = ctx?.request;
  const form = ctx?.sourceElement?.closest?.("form");
  if (!form || String(request?.method).toUpperCase() !== "POST") return;
  // A file is too large to be kept here: it is sent again by hand.
  if (form.enctype === "multipart/form-data") { tell({ key: "", told: "The photo was not sent: the connection is away. Send it again when it is back." }); return; }
  const body = [...new FormData(form)].filter(([, value]) => typeof value === "string");
  const submitter = request.submitter;
  if (submitter?.name) body.push([submitter.name, submitter.value]);
  const item = { who: who(), action: request.action, body, draft: form.dataset.draft ?? "", since: Date.now() };
  const key = JSON.stringify([item.who, item.action, body]);
  if (!all().some((other) => other.key === key)) setQueue([...all(), { key, ...item }]);
};
// While something waits, what is sent afterwards waits behind it.
document.addEventListener("htmx:before:request", (event) => {
  const ctx = event.detail?.ctx;
  if (String(ctx?.request?.method).toUpperCase() !== "POST" || !mine().some((item) => !item.told)) return;
  event.preventDefault();
  keep(ctx);
});
document.addEventListener("htmx:error", (event) => {
  if (!event.detail?.ctx?.response) keep(event.detail?.ctx);
});
// A server that fails (its database away) or is busy is a lost connection too: nothing is swapped, and it is asked again. Who is no longer signed in signs in, and then it
// is sent.
document.addEventListener("htmx:response:error", (event) => {
  const status = event.detail?.ctx?.response?.status;
  if (status >= 500 || status === 401) keep(event.detail.ctx);
});

// One that was refused for good, or that somebody has to look at where it belongs.
const tell = (item) => {
  const bar = document.getElementById("waiting");
  if (!bar) return;
  bar.hidden = !item;
  if (!item) return;
  const words = document.createElement("span");
  words.textContent = item.told;
  const act = document.createElement(item.look ? "a" : "button");
  act.className = "btn ml-3";
  act.textContent = item.look ? "Look at it" : "I have read this";
  if (item.look) act.href = item.look;
  else act.addEventListener("click", () => change(item.key, null));
  bar.replaceChildren(words, act);
};
const said = (html) => {
  const page = new DOMParser().parseFromString(html, "text/html");
  return [page.querySelector("main h1"), page.querySelector("main p")].map((part) => part?.textContent.trim() ?? "").join(". ");
};
// The screen as the server answered it, with what was typed and what is wrong, in place of the one that stands.
const showBench = (html) => {
  const fresh = new DOMParser().parseFromString(html, "text/html").getElementById("screen");
  const stands = document.getElementById("screen");
  if (!fresh || !stands) return false;
  const shown = document.importNode(fresh, true);
  stands.replaceWith(shown);
  htmx.process(shown);
  fade();
  return true;
};

// What the server fails at three times, while it is well otherwise, is set aside with what was typed: what came after it is not held up by it.
const FAILS = 3;
const HIDDEN = ["key", "seen", "stage", "supersedes", "unit", "phase", "point", "entry"];
const failed = async (item) => {
  if (!(await fetch("/healthz")).ok) return;
  const fails = (item.fails ?? 0) + 1;
  const typed = item.body.filter(([name, value]) => value && !HIDDEN.includes(name)).map(([name, value]) => `${name.replaceAll("_", " ")} ${value}`).join(", ");
  change(item.key, fails < FAILS ? { fails } : { told: `The server could not save this after ${FAILS} tries: ${typed}. Write it down and enter it again later. Everything else is saved.` });
};

let sending = false;
const sendAgain = async () => {
  const here = jobOf(location.pathname);
  const next = who() && mine().find((item) => !item.told || (item.look && jobOf(item.action) === here));
  if (!next || sending) return;
  sending = true;
  try {
    // What was done while the connection was away counts from when it was done: the server is told how long this waited.
    const waited = ["waited", String((Date.now() - (next.since ?? Date.now())) / 1000)];
    const answer = await fetch(next.action, { method: "POST", body: new URLSearchParams([...next.body, waited]), headers: { "HX-Request": "true" } });
    const html = await answer.text();
    if (answer.status >= 500) return await failed(next);
    if (answer.status === 401) {
      location.assign(`/sign-in?back=${encodeURIComponent(location.pathname)}`);
    } else if (answer.ok) {
      if (next.draft) forget(next.draft);
      change(next.key, null);
      if (!mine().some((item) => !item.told)) location.reload();
    } else if (answer.status === 409 || answer.status === 422) {
      if (jobOf(next.action) === here && showBench(html)) change(next.key, null);
      else change(next.key, { told: "Something you sent while the connection was lost needs a look.", look: `${jobOf(next.action)}/${next.body.find(([name]) => name === "stage")?.[1] ?? ""}` });
    } else {
      change(next.key, { told: `What you sent was not taken. ${said(html)}` });
    }
  } catch { /* still away */ } finally {
    sending = false;
  }
};
window.addEventListener("resize", toStation);
window.addEventListener("online", sendAgain);
setInterval(sendAgain, 3000);
document.addEventListener("DOMContentLoaded", () => {
  forgetTaken();
  setQueue(all());
  restoreDrafts();
  toStation();
  fade();
  sendAgain();
});

// What is drawn to its true size: so many millimetres by the screen's own scale, which is held beside a rule once and kept on this device.
const trueSize = () => {
  const scale = Number(localStorage.getItem("vd-true-size")) || 1;
  for (const drawn of document.querySelectorAll("[data-mm]")) drawn.style.width = `${(Number(drawn.dataset.mm) * scale * 96) / 25.4}px`;
  for (const slide of document.querySelectorAll("[data-true-size]")) slide.value = scale;
};
document.addEventListener("input", (event) => {
  if (!event.target.matches("[data-true-size]")) return;
  localStorage.setItem("vd-true-size", event.target.value);
  trueSize();
});
document.addEventListener("htmx:after:swap", trueSize);
document.addEventListener("DOMContentLoaded", trueSize);

// On a tablet the application can be installed, and what was looked at lately stays readable without a connection (sw.js): it shows the time at which it stood so,
// and the page is asked for anew once the server is there again.
if ("serviceWorker" in navigator) {
  document.head.append(Object.assign(document.createElement("link"), { rel: "manifest", href: "/assets/app.webmanifest" }));
  navigator.serviceWorker.register("/sw.js").catch(() => { /* a browser that does not trust the server's certificate keeps nothing */ });
  const keepPage = () => navigator.serviceWorker.ready.then((worker) => worker.active?.postMessage({ who: who(), path: location.pathname }));
  let changed = 0;
  document.addEventListener("htmx:after:swap", () => { clearTimeout(changed); changed = setTimeout(keepPage, 4000); });
  document.addEventListener("DOMContentLoaded", () => {
    const at = document.body.dataset.keptAt;
    if (!at) { keepPage(); return; }
    const bar = Object.assign(document.createElement("p"), { id: "kept", className: "notice notice-alarm m-0" });
    bar.setAttribute("role", "status");
    const time = new Date(at).toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });
    const mind = jobOf(location.pathname) ? "It may have changed since: ask before you start the engine." : "It may have changed since.";
    bar.textContent = `No connection. This is how it stood on ${time}. ${mind}`;
    document.getElementById("waiting")?.before(bar);
    setInterval(() => fetch("/healthz").then((answer) => answer.ok && !mine().some((item) => !item.told) && location.reload()).catch(() => {}), 5000);
  });
}

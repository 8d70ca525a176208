// What the browser does by itself: brings a suspect's curve forward, opens the shortcut sheet, keeps what is typed, and sends again what a
// lost connection swallowed. Everything that is computed comes from the server.
"use strict";

document.addEventListener("alpine:init", () => {
  Alpine.data("bench", () => ({
    front: "",
    offline: false,
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
  if (target) { event.preventDefault(); target.focus(); if (target.matches("a")) target.click(); }
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-close]")) event.target.closest("dialog").close();
  if (event.target.closest("[data-print]")) window.print();
});

// Drafts: what is typed in a form with data-draft outlives a reload, a closed lid and a killed server; a taken form forgets its own.
const draftKey = (form) => form.dataset.draft && `vd-draft:${form.dataset.draft}`;
document.addEventListener("input", (event) => {
  const form = event.target.closest("form[data-draft]");
  if (!form) return;
  const typed = {};
  for (const field of form.querySelectorAll("[data-keep]")) typed[field.name] = field.value;
  localStorage.setItem(draftKey(form), JSON.stringify(typed));
});
const restoreDrafts = () => {
  for (const form of document.querySelectorAll("form[data-draft]")) {
    const kept = localStorage.getItem(draftKey(form));
    if (!kept) continue;
    const typed = JSON.parse(kept);
    for (const field of form.querySelectorAll("[data-keep]")) if (!field.value && typed[field.name]) field.value = typed[field.name];
  }
};
document.addEventListener("htmx:before:request", (event) => {
  const form = event.target.closest?.("form[data-draft]");
  if (form) form.dataset.sent = "yes";
});

// A form that was taken is empty again and its first field has the cursor, however much of it the swap kept. The form itself may be gone after
// the swap, so it is remembered before.
let taken = null;
document.addEventListener("htmx:before:swap", (event) => {
  const ctx = event.detail?.ctx;
  const draft = ctx?.sourceElement?.closest?.("form")?.dataset.draft;
  taken = draft && ctx.response?.status < 400 ? draft : null;
});
document.addEventListener("htmx:after:swap", () => {
  if (taken) {
    localStorage.removeItem(`vd-draft:${taken}`);
    for (const field of document.querySelectorAll(`form[data-draft="${CSS.escape(taken)}"] [data-keep]`)) field.value = field.getAttribute("value") ?? "";
    document.querySelector("[data-first]")?.focus();
    taken = null;
  }
  restoreDrafts();
});

// A file too large is told before it is sent; the server says no to it as well.
document.addEventListener("change", (event) => {
  const field = event.target.closest("input[type=file][data-most]");
  const large = field?.files[0]?.size > Number(field?.dataset.most);
  if (!field) return;
  document.getElementById(`${field.id}-problem`).textContent = large ? "The file is larger than 8 MB. Cut the run to the part that matters, or record fewer samples a second." : "";
  field.form.querySelector("button").disabled = large;
});

// The lost connection: the request is kept with its form's key, the page says so, and it is sent again until it is answered. The key makes a
// second arrival harmless. Kept in the page's storage, so a reload in the meantime loses nothing.
const waiting = "vd-waiting";
const queue = () => JSON.parse(sessionStorage.getItem(waiting) || "[]");
const setQueue = (items) => {
  sessionStorage.setItem(waiting, JSON.stringify(items));
  document.body.classList.toggle("is-offline", items.length > 0);
};
const keep = (ctx) => {
  const request = ctx?.request;
  if (!request || String(request.method).toUpperCase() !== "POST") return;
  const body = [...new FormData(ctx.sourceElement.closest("form"))].filter(([, value]) => typeof value === "string");
  const submitter = request.submitter;
  if (submitter?.name) body.push([submitter.name, submitter.value]);
  const key = JSON.stringify([request.action, body]);
  if (!queue().some((item) => item.key === key)) setQueue([...queue(), { key, action: request.action, body }]);
};
document.addEventListener("htmx:error", (event) => {
  if (!event.detail?.ctx?.response) keep(event.detail?.ctx);
});
// A server that fails (its database away) is a lost connection too: nothing is swapped, and it is asked again.
document.addEventListener("htmx:response:error", (event) => {
  if (event.detail?.ctx?.response?.status >= 500) keep(event.detail.ctx);
});
const sendAgain = async () => {
  const [first, ...rest] = queue();
  if (!first) return;
  try {
    const answer = await fetch(first.action, { method: "POST", body: new URLSearchParams(first.body), headers: { "HX-Request": "true" }, redirect: "manual" });
    if (answer.status >= 500) return;
    setQueue(rest);
    // A refused one is shown again as it was typed: its draft is still kept.
    if (answer.ok) for (const form of document.querySelectorAll("form[data-draft]")) if (form.dataset.sent) localStorage.removeItem(draftKey(form));
    if (rest.length === 0) location.reload();
  } catch { /* still away */ }
};
window.addEventListener("online", sendAgain);
setInterval(sendAgain, 3000);
document.addEventListener("DOMContentLoaded", () => {
  setQueue(queue());
  restoreDrafts();
});

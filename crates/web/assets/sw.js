// Pages that were looked at lately stay readable without a connection, with the time at which they stood so; nothing that is sent goes through here.
"use strict";

const PAGES = "vd-pages";
const FILES = "vd-files";
const MOST = 40;
// The board, jobs, engines, gauges: what a person looks up in the bay. What customers and owners see is not kept.
const KEPT = /^\/$|^\/jobs\/\d+(\/[a-z-]+)?$|^\/library$|^\/gauges$/;
const LASTS = /^\/assets\/(fonts|vendor)\//;
// Whose pages they are: another person on the same tablet finds none of them.
const WHO = "/kept-for";
const AWAY = `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>No connection — Velvet Dial</title>
<style>body { margin: 0; background: #f4efe6; color: #20172a; font: 1.125rem/1.35 Archivo, sans-serif } header { background: #38203f; height: 52px }
main { max-width: 40rem; margin: 1.5rem auto; padding: 1rem; background: #fffdf8; border-left: 6px solid #a3262a } h1 { margin: 0; font-size: 1.75rem }
a { display: inline-flex; align-items: center; min-height: 46px; padding: 0 1rem; border: 1px solid; border-radius: 3px; color: inherit; font-weight: 600; text-decoration: none }</style>
<body><header></header><main><h1>No connection</h1>
<p>This page was not looked at on this device lately, so it cannot be shown now. What you typed elsewhere is kept and is sent by itself.</p>
<p><a href="/">Board</a></p></main></body></html>`;

self.addEventListener("install", (event) => {
  // What is sent goes straight to the server, and does not wait until this script is awake.
  if (event.addRoutes) event.waitUntil(event.addRoutes([{ condition: { requestMethod: "POST" }, source: "network" }]));
  self.skipWaiting();
});
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

const whose = async (pages) => (await (await pages.match(WHO))?.text()) ?? "";

const keep = async (path, answer) => {
  const html = await answer.text();
  // A page without anybody is the way in, wherever it stands.
  const who = html.match(/<body[^>]* data-who="([^"]*)"/)?.[1] ?? "";
  const pages = await caches.open(PAGES);
  if (!who || who !== (await whose(pages))) return;
  const headers = new Headers(answer.headers);
  headers.delete("content-encoding");
  headers.delete("content-length");
  const kept = html.replace("<body", `<body data-kept-at="${new Date().toISOString()}"`);
  await pages.delete(path);
  await pages.put(path, new Response(kept, { headers }));
  const all = (await pages.keys()).filter((request) => new URL(request.url).pathname !== WHO);
  await Promise.all(all.slice(0, Math.max(0, all.length - MOST)).map((request) => pages.delete(request)));
};

const page = async (event, path) => {
  try {
    const answer = await fetch(event.request);
    if (answer.ok && !answer.redirected && KEPT.test(path)) event.waitUntil(keep(path, answer.clone()));
    return answer;
  } catch (error) {
    const pages = await caches.open(PAGES);
    return (await pages.match(path)) ?? new Response(AWAY, { status: 503, headers: { "content-type": "text/html; charset=utf-8" } });
  }
};

const file = async (event) => {
  const files = await caches.open(FILES);
  const known = await files.match(event.request);
  if (known) return known;
  const answer = await fetch(event.request);
  if (answer.ok) {
    const { pathname } = new URL(event.request.url);
    const older = (await files.keys()).filter((request) => new URL(request.url).pathname === pathname);
    await Promise.all(older.map((request) => files.delete(request)));
    event.waitUntil(files.put(event.request, answer.clone()));
  }
  return answer;
};

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== self.location.origin) return;
  if (request.mode === "navigate") event.respondWith(page(event, url.pathname));
  else if (LASTS.test(url.pathname) || (url.pathname.startsWith("/assets/") && url.search.startsWith("?state="))) event.respondWith(file(event));
});

// A page says whose it is, and asks to be kept anew once something on it has changed.
const told = async ({ who, path }) => {
  let pages = await caches.open(PAGES);
  if ((await whose(pages)) !== who) {
    await caches.delete(PAGES);
    pages = await caches.open(PAGES);
    await pages.put(WHO, new Response(who));
  }
  if (!who || !KEPT.test(path)) return;
  const answer = await fetch(path).catch(() => null);
  if (answer?.ok && !answer.redirected) await keep(path, answer);
};
self.addEventListener("message", (event) => event.waitUntil(told(event.data)));

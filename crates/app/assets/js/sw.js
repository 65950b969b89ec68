// Keeps the pages of a survey on the device: the network first, what was put by when there is none.
"use strict";

const ASSETS = "keel-assets-STAMP_HERE", PAGES = "keel-pages";
const SHIPPED = ["css/keel.css", "js/keel.js", "js/shape.js", "js/rack.js", "js/refasten.js", "js/offline.js", "vendor/bootstrap.min.css", "vendor/alpine-csp.min.js", "img/keel.svg", "img/chevron.svg",
  "vendor/fonts/atkinson-hyperlegible-next-latin-400-normal.woff2", "vendor/fonts/atkinson-hyperlegible-next-latin-600-normal.woff2",
  "vendor/fonts/atkinson-hyperlegible-next-latin-700-normal.woff2", "vendor/fonts/zilla-slab-latin-600-normal.woff2"];

self.addEventListener("install", (event) => {
  const urls = SHIPPED.map((path) => `/assets/STAMP_HERE/${path}`);
  event.waitUntil(caches.open(ASSETS).then((cache) => cache.addAll(urls)).then(() => self.skipWaiting()));
});

self.addEventListener("activate", (event) => {
  const old = (name) => name.startsWith("keel-assets-") && name !== ASSETS;
  event.waitUntil(caches.keys()
    .then((names) => Promise.all(names.filter(old).map((name) => caches.delete(name))))
    .then(() => self.clients.claim()));
});

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== location.origin) return;
  if (url.pathname.startsWith("/assets/")) event.respondWith(asset(request));
  else if (/^\/photos\/[0-9a-f]+\/small$/.test(url.pathname)) event.respondWith(picture(request));
  else if (request.mode === "navigate" || request.headers.get("X-Put-By")) event.respondWith(page(request, url));
});

async function asset(request) {
  const kept = await caches.match(request);
  if (kept) return kept;
  try {
    return await fetch(request);
  } catch (error) {
    // A page put by under an earlier stamp still gets its style.
    const path = new URL(request.url).pathname.split("/").slice(3).join("/");
    const same = await caches.match(`/assets/STAMP_HERE/${path}`);
    if (same) return same;
    throw error;
  }
}

// A photo is named by its content: once kept it never changes.
async function picture(request) {
  const cache = await caches.open(PAGES);
  const kept = await cache.match(request);
  if (kept) return kept;
  const answer = await fetch(request);
  if (answer.ok && !answer.redirected) put(cache, request.url, answer.clone());
  return answer;
}

// The device may be full: a page that cannot be put by is still shown.
function put(cache, url, answer) {
  return cache.put(url, answer).catch(() => {});
}

const isSurvey = (url) => /^\/boats(\/\d+(\/(quick|finish|finish\/upkeep|coats\/\d+|work|pieces\/\d+\/card|survey(\/\w+)?|grid|crossing|refasten(\/\d+)?|seams\/(all|launch|line\/[ps]\d+)))?)?$/.test(url.pathname) || /^\/handbook(\/[\w-]+)?$/.test(url.pathname) || url.pathname === "/offline";

async function page(request, url) {
  try {
    const answer = await fetch(request);
    if (answer.redirected && new URL(answer.url).pathname === "/sign-in") await caches.delete(PAGES);
    // One look of a page is kept, not one for every place that was looked at.
    const plain = !url.search || /^\?surface=\w+$/.test(url.search);
    if (answer.ok && !answer.redirected && plain && isSurvey(url)) put(await caches.open(PAGES), url.href, answer.clone());
    return answer;
  } catch (error) {
    return (await putBy(url)) || Promise.reject(error);
  }
}

async function putBy(url) {
  const cache = await caches.open(PAGES);
  const exact = await cache.match(url.href);
  if (exact) return exact;
  const bare = await cache.match(url.origin + url.pathname);
  if (bare) return bare;
  // A finding anywhere is marked by quick entry, which takes its place from the address.
  const boat = /^\/boats\/(\d+)\/(findings|readings)\/new$/.exec(url.pathname);
  const quick = boat && (await cache.match(`${url.origin}/boats/${boat[1]}/quick`));
  return quick || cache.match(`${url.origin}/offline`);
}

// Without signal: what is marked waits on this device and is sent once, when the yard's server answers again.
//
// A form with data-offline is sent by script. When the server cannot be reached, its fields and photos go into the
// device's own database with the form's one-time key: however often an entry is sent, the server takes it once.
"use strict";

(() => {
  const DATABASE = "keel", STORE = "waiting";
  const body = document.body;
  const me = { account: Number(body.dataset.account || 0), name: body.dataset.who || "" };
  const RETRY_EVERY = 15000;
  const SIGNED_OUT = "You are signed out here: sign in, and it is sent.";
  const GONE = "The boat or the part it belongs to is no longer there. Save it as a file, or strike it off.";

  const database = new Promise((resolve, reject) => {
    if (!("indexedDB" in window)) { reject(new Error("no database")); return; }
    const open = indexedDB.open(DATABASE, 1);
    open.onupgradeneeded = () => open.result.createObjectStore(STORE, { keyPath: "id", autoIncrement: true });
    open.onsuccess = () => resolve(open.result);
    open.onerror = () => reject(open.error);
  });
  database.catch(() => {});

  async function within(mode, work) {
    const db = await database;
    return new Promise((resolve, reject) => {
      const deal = db.transaction(STORE, mode);
      const request = work(deal.objectStore(STORE));
      // Only a whole transaction is on the disk.
      deal.oncomplete = () => resolve(request.result);
      deal.onabort = deal.onerror = () => reject(deal.error || request.error);
    });
  }
  const all = () => within("readonly", (store) => store.getAll());
  const keep = (entry) => within("readwrite", (store) => (entry.id ? store.put(entry) : store.add(entry)));
  const strike = (id) => within("readwrite", (store) => store.delete(id));

  const fresh = () => [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");

  // A page out of the device's store brings a key that may be used up: each form gets its own.
  function prepare(root) {
    for (const form of root.querySelectorAll("form[data-offline]")) {
      const once = form.querySelector("input[name=once]");
      if (once && !once.dataset.fresh) {
        once.value = `d${fresh()}`;
        once.dataset.fresh = "1";
      }
    }
  }

  function say(form, text, fault) {
    let place = form.querySelector(".sent-note");
    if (!place) {
      place = document.createElement("p");
      place.className = "sent-note";
      place.setAttribute("role", "status");
      form.prepend(place);
    }
    place.className = `sent-note ${fault ? "fault-sum" : "note-bar"}`;
    place.textContent = text;
    place.scrollIntoView({ block: "nearest" });
  }

  function labelOf(form, data) {
    const place = data.get("place") || data.get("from");
    const picked = form.querySelector("input[name=kind]:checked");
    const kind = picked && picked.closest("label").textContent.trim();
    if (!form.hasAttribute("data-stay")) return form.dataset.offline;
    if (data.get("nothing")) return `Nothing found at ${place}`;
    if (data.get("reading")) return `Reading at ${place}`;
    const what = kind || form.dataset.offline;
    return place ? `${what} at ${place}` : what;
  }

  document.addEventListener("submit", async (event) => {
    const form = event.target;
    if (event.defaultPrevented || !form.matches("form[data-offline]") || form.dataset.plain) return;
    event.preventDefault();
    // A second tap while the first is on its way.
    if (form.dataset.sending) return;
    form.dataset.sending = "1";
    const submitter = event.submitter;
    const data = new FormData(form, submitter);
    // What waits here for a signal happened now, not when it arrives.
    data.set("made_at", new Date().toISOString());
    // An empty file field is no photo.
    for (const [name, value] of [...data.entries()]) {
      if (value instanceof File && value.size === 0) data.delete(name);
    }
    try {
      let answer = await post(form.action, data, form.enctype);
      if (answer.status === 403) {
        // A page put by under an earlier sign-in bears that one's token.
        const session = await askSession();
        if (session) {
          data.set("csrf", session.csrf);
          form.querySelector("input[name=csrf]").value = session.csrf;
          answer = await post(form.action, data, form.enctype);
        }
      }
      if (answer.ok && isJson(answer)) {
        const { location: to } = await answer.json();
        location.assign(to);
        return;
      }
      if (answer.redirected) await keepHere(form, data, "signed_out", SIGNED_OUT);
      else if (answer.status === 404) await keepHere(form, data, "gone", GONE);
      else if (answer.status >= 500) await keepHere(form, data);
      else {
        // What is wrong stands on a page of the server: the form goes there as any other.
        form.dataset.plain = "1";
        form.requestSubmit(submitter || undefined);
      }
    } catch {
      await keepHere(form, data);
    }
    delete form.dataset.sending;
  });

  const isJson = (answer) => !answer.redirected && (answer.headers.get("Content-Type") || "").includes("json");

  // Who is signed in, with the token to send with; null when nobody is. Throws when the server does not answer.
  async function askSession() {
    const answer = await fetch("/session", { headers: { Accept: "application/json" }, cache: "no-store" });
    return answer.ok && isJson(answer) ? answer.json() : null;
  }

  function post(url, data, enctype) {
    const encoded = enctype === "multipart/form-data" ? data : new URLSearchParams([...data.entries()].filter(([, v]) => typeof v === "string"));
    return fetch(url, { method: "POST", body: encoded, headers: { Accept: "application/json" } });
  }

  async function keepHere(form, data, state = "waiting", told = "") {
    const fields = [...data.entries()].filter(([name]) => name !== "csrf");
    const entry = {
      url: new URL(form.action).pathname + new URL(form.action).search,
      enctype: form.enctype,
      fields,
      label: labelOf(form, data),
      account: me.account,
      name: me.name,
      made: new Date().toISOString(),
      state,
      told,
    };
    try {
      await keep(entry);
    } catch (error) {
      const full = error && error.name === "QuotaExceededError";
      const why = full ? "This device has no room left" : "This device cannot keep it";
      say(form, `${why}, and the server does not answer: it is NOT saved. Leave this page open; try again without the photo, or when there is signal.`, true);
      await show();
      return;
    }
    if (navigator.storage && navigator.storage.persist) navigator.storage.persist().catch(() => {});
    const once = form.querySelector("input[name=once]");
    if (once) once.value = `d${fresh()}`;
    if (form.hasAttribute("data-stay")) {
      for (const field of form.querySelectorAll("input[type=file]")) field.value = "";
      for (const drawn of form.querySelectorAll(".marking")) drawn.replaceChildren();
      const marks = form.querySelector("input[name=marks]");
      if (marks) marks.value = "[]";
    }
    say(form, `✓ Kept on this device: ${entry.label}. ${told || "It is sent when the server answers."}`, false);
    await show();
  }

  // Sends what waits, oldest first. One page at a time does it; the rest look on.
  async function send() {
    const waiting = (await all().catch(() => [])).filter((e) => e.state === "waiting" || e.state === "signed_out");
    if (!waiting.length) return;
    const turn = async () => {
      let session;
      try {
        session = await askSession();
      } catch { return; }
      if (!session) {
        await change(waiting, "signed_out", SIGNED_OUT);
        return;
      }
      for (const entry of waiting) {
        // Somebody else is at this device: entries are sent under the name they were made with.
        if (entry.account !== session.account) {
          await change([entry], "signed_out", `It was made by ${entry.name}: it is sent when ${entry.name} is signed in here.`);
          continue;
        }
        try { await sendOne(entry, session); } catch { return; }
      }
    };
    if (navigator.locks) await navigator.locks.request("keel-send", { ifAvailable: true }, async (lock) => { if (lock) await turn(); });
    else await turn();
    await show();
  }

  async function change(entries, state, told) {
    for (const entry of entries) {
      // It may have been struck off meanwhile.
      if (entry.state !== state || entry.told !== told) await keep({ ...entry, state, told });
    }
  }

  async function sendOne(entry, session) {
    const data = new FormData();
    data.append("csrf", session.csrf);
    for (const [name, value] of entry.fields) data.append(name, value);
    const answer = await post(entry.url, data, entry.enctype);
    if (answer.ok && isJson(answer)) { await strike(entry.id); return; }
    if (answer.redirected || answer.status === 401) { await change([entry], "signed_out", SIGNED_OUT); return; }
    if (answer.status >= 500) return;
    const told = {
      404: ["gone", GONE],
      409: ["conflict", "Somebody else changed it meanwhile. Look at both, and save yours over theirs or leave it."],
      403: ["refused", "This account may not do that here."],
      413: ["refused", "It is too large for the server."],
    }[answer.status] || ["refused", "Something in it needs another look."];
    await change([entry], ...told);
  }

  // Opens an entry as the form it came from: the server shows what is wrong, or both versions beside each other.
  async function openEntry(entry) {
    const session = await askSession().catch(() => null);
    if (!session) { await show("The server does not answer, or you are signed out."); return; }
    const form = document.createElement("form");
    form.method = "post";
    form.enctype = entry.enctype;
    form.action = entry.url;
    form.hidden = true;
    const files = new Map();
    for (const [name, value] of [["csrf", session.csrf], ...entry.fields]) {
      if (typeof value === "string") {
        const field = document.createElement("textarea");
        field.name = name;
        field.value = value;
        form.append(field);
      } else {
        const list = files.get(name) || new DataTransfer();
        list.items.add(new File([value], value.name || "photo.jpg", { type: value.type }));
        files.set(name, list);
      }
    }
    for (const [name, list] of files) {
      const field = document.createElement("input");
      field.type = "file";
      field.name = name;
      field.multiple = true;
      field.files = list.files;
      form.append(field);
    }
    document.body.append(form);
    form.submit();
  }

  async function saveAsFile(entry) {
    const asText = (blob) => new Promise((resolve) => {
      const reader = new FileReader();
      reader.onload = () => resolve(reader.result);
      reader.readAsDataURL(blob);
    });
    const fields = await Promise.all(entry.fields.map(async ([name, value]) => [name, typeof value === "string" ? value : await asText(value)]));
    const text = JSON.stringify({ label: entry.label, made: entry.made, by: entry.name, url: entry.url, fields }, null, 2);
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
    link.download = `waiting-${entry.made.replace(/[:.]/g, "-")}.json`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 10000);
  }

  const WORDS = { waiting: "waits for signal", signed_out: "waits for sign-in", refused: "needs a look", conflict: "changed by somebody else", gone: "its place is gone" };

  // The bar of what waits, on every page.
  async function show(message) {
    const bar = document.getElementById("waiting");
    if (!bar) return;
    let entries;
    try { entries = await all(); } catch { return; }
    const open = bar.querySelector("details");
    const wasOpen = open && open.open;
    bar.replaceChildren();
    bar.hidden = !entries.length;
    if (!entries.length) return;
    const add = (parent, tag, text, className) => {
      const e = document.createElement(tag);
      if (text) e.textContent = text;
      if (className) e.className = className;
      parent.append(e);
      return e;
    };
    const details = add(bar, "details");
    details.open = Boolean(wasOpen) || entries.some((e) => e.state !== "waiting");
    const many = entries.length === 1 ? "1 entry waits" : `${entries.length} entries wait`;
    add(details, "summary", `◷ ${many} on this device${message ? `. ${message}` : ""}`);
    const list = add(details, "ul", "", "plain");
    for (const entry of entries) {
      const row = add(list, "li", "", `waiting-row ${entry.state}`);
      const what = add(row, "div");
      add(what, "b", entry.label);
      add(what, "span", ` ${WORDS[entry.state] || entry.state}`, "tag");
      add(what, "div", `${new Date(entry.made).toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" })}${entry.name ? `, ${entry.name}` : ""}${entry.told ? ` · ${entry.told}` : ""}`, "muted");
      const acts = add(row, "div", "", "row-actions");
      const button = (text, act) => {
        const b = add(acts, "button", text, "btn btn-line btn-small");
        b.type = "button";
        b.addEventListener("click", act);
        return b;
      };
      if (entry.state === "refused") button("Open it in its form", () => openEntry(entry));
      if (entry.state === "conflict") button("Look at both", () => openEntry(entry));
      if (entry.state !== "waiting") button("Try again", async () => { await change([entry], "waiting", ""); await send(); });
      button("Save as a file", () => saveAsFile(entry));
      const off = button("Strike off", async () => {
        if (off.dataset.sure) { await strike(entry.id); await show(); return; }
        off.dataset.sure = "1";
        off.textContent = "Strike off for good?";
      });
    }
    const now = add(details, "button", "Send now", "btn btn-lead btn-small");
    now.type = "button";
    now.addEventListener("click", () => send());
  }

  // The boat's survey pages are put by, so that they open under the hull.
  async function putBy() {
    const boat = body.dataset.boat;
    if (!boat || !navigator.serviceWorker) return;
    await navigator.serviceWorker.ready;
    if (!navigator.serviceWorker.controller) {
      await new Promise((resolve) => navigator.serviceWorker.addEventListener("controllerchange", resolve, { once: true }));
    }
    const key = `put-by-${boat}`, last = Number(sessionStorage.getItem(key) || 0);
    // Her home refreshes what is put by each minute, any other page each ten.
    const every = location.pathname === `/boats/${boat}` ? 60000 : 600000;
    if (Date.now() - last < every) return;
    const at = `/boats/${boat}`;
    const surfaces = [...document.querySelectorAll(".surface-tabs a")].map((a) => a.getAttribute("href"));
    const pages = [at, `${at}/quick`, `${at}/survey`, `${at}/survey/coverage`, `${at}/survey/sample`, `${at}/survey/lines`,
      `${at}/survey/causes`, `${at}/survey/past`, `${at}/survey/salvage`, `${at}/refasten`, `${at}/finish`, `${at}/finish/upkeep`, `${at}/work`, "/offline", "/boats", "/handbook", ...surfaces];
    for (const page of pages) {
      try {
        const answer = await fetch(page, { headers: { "X-Put-By": "1" } });
        // The rules behind what is shown, chapter by chapter.
        if (page === "/handbook") {
          const chapters = (await answer.clone().text()).match(/\/handbook\/[\w-]+(?=")/g) || [];
          for (const chapter of new Set(chapters)) await fetch(chapter, { headers: { "X-Put-By": "1" } });
        }
        // Regions that are being refastened and pieces that are hung are worked under the hull too.
        const each = page.endsWith("/refasten") ? /\/boats\/\d+\/refasten\/\d+(?=")/g
          : page.endsWith("/work") ? /\/boats\/\d+\/pieces\/\d+\/card(?=")/g : null;
        if (each) {
          const found = (await answer.clone().text()).match(each) || [];
          for (const one of new Set(found)) await fetch(one, { headers: { "X-Put-By": "1" } });
        }
      } catch { return; }
    }
    sessionStorage.setItem(key, String(Date.now()));
    body.dataset.putBy = "1";
  }

  window.keelOffline = { prepare, send, show };
  prepare(document);
  show();
  send();
  window.addEventListener("online", () => send());
  setInterval(send, RETRY_EVERY);
  document.addEventListener("visibilitychange", () => { if (!document.hidden) send(); });

  if ("serviceWorker" in navigator) {
    navigator.serviceWorker.register("/sw.js").then(putBy).catch(() => {});
    for (const form of document.querySelectorAll("form[action='/sign-out']")) {
      // What is put by of the boats is for whoever was signed in.
      form.addEventListener("submit", () => { caches.delete("keel-pages"); });
    }
  }
})();

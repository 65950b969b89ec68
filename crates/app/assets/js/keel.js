// What pages do in the browser. Every rule stays on the server: this only points, draws drafts and asks.
"use strict";

const SURFACES = ["floor", "daylight", "bilge"];
const SVG_NS = "http://www.w3.org/2000/svg";

document.addEventListener("alpine:init", () => {
  Alpine.data("surfaces", () => ({
    init() { this.show(document.documentElement.dataset.surface); },
    pick(event) {
      const surface = event.currentTarget.dataset.pick;
      if (!SURFACES.includes(surface)) return;
      document.cookie = `surface=${surface}; path=/; max-age=31536000; samesite=lax`;
      document.documentElement.dataset.surface = surface;
      this.show(surface);
    },
    show(surface) {
      for (const button of this.$root.querySelectorAll("[data-pick]")) {
        button.setAttribute("aria-pressed", String(button.dataset.pick === surface));
      }
    },
    // On a phone the nine steps open under the step one is at.
    steps(event) {
      const open = this.$root.classList.toggle("steps-shown");
      event.currentTarget.setAttribute("aria-expanded", String(open));
    },
  }));

  Alpine.data("bench", () => ({ ...benchTools }));
  Alpine.data("optionRows", optionRows);
  Alpine.data("searcher", searcher);
  // Only the rows of a table in which all words stand; the box is there only where a script is.
  Alpine.data("filterRows", () => ({
    init() {
      this.table = document.getElementById(this.$root.dataset.table);
      this.$root.hidden = !this.table || this.table.tBodies[0].rows.length < 4;
    },
    only(event) {
      const words = event.target.value.toLowerCase().split(/\s+/).filter(Boolean);
      let left = 0;
      for (const row of this.table.tBodies[0].rows) {
        const text = row.textContent.toLowerCase();
        row.hidden = !words.every((word) => text.includes(word));
        if (!row.hidden) left += 1;
      }
      this.$root.querySelector(".hint").textContent = words.length ? `${left} of ${this.table.tBodies[0].rows.length}` : "";
    },
  }));
  // Ticks of a list: with Shift all between the last one and this.
  Alpine.data("ticks", () => ({
    init() {
      this.$root.addEventListener("click", (event) => {
        if (!event.target.matches(".tick")) return;
        const shown = [...this.$root.querySelectorAll(".tick")].filter((tick) => !tick.closest("tr").hidden);
        const here = shown.indexOf(event.target), last = shown.indexOf(this.last);
        if (event.shiftKey && last >= 0) {
          for (const tick of shown.slice(Math.min(here, last), Math.max(here, last) + 1)) tick.checked = event.target.checked;
        }
        this.last = event.target;
      });
    },
  }));
  // The slider runs over the days of the boat's story and fills the date beside it.
  Alpine.data("onDay", () => ({
    init() {
      const days = (text) => Math.round(Date.parse(`${text}T00:00:00Z`) / 86400000);
      this.first = days(this.$root.dataset.begun);
      this.range = this.$root.querySelector("[type=range]");
      this.date = this.$root.querySelector("[type=date]");
      this.range.max = String(Math.max(days(this.$root.dataset.today) - this.first, 0));
      this.range.value = String(days(this.date.value) - this.first);
    },
    slide() { this.date.value = new Date((this.first + Number(this.range.value)) * 86400000).toISOString().slice(0, 10); },
    send() { this.$root.requestSubmit(); },
  }));

  // How long a clock has run.
  Alpine.data("since", () => ({
    text: "",
    init() {
      const since = Date.parse(this.$el.dataset.since);
      const tick = () => {
        const minutes = Math.max(0, Math.floor((Date.now() - since) / 60000));
        this.text = minutes < 60 ? `for ${minutes} min` : `for ${Math.floor(minutes / 60)} h ${minutes % 60} min`;
      };
      tick();
      setInterval(tick, 15000);
    },
  }));

  Alpine.data("plankMap", plankMap);
  Alpine.data("findingForm", findingForm);
  Alpine.data("measureForm", () => ({ init() { measures(this.$root); } }));
  Alpine.data("quickForm", quickForm);
  Alpine.data("photoMarks", photoMarks);
});

// What every working bench can do with its drawing and its panel.
const benchTools = {
  fold(event) { foldPanel(event); },
  alone() { drawingAlone(); },
  zoomIn() { zoomDrawing(this.$root, 1); },
  zoomOut() { zoomDrawing(this.$root, -1); },
};

// The drawing grows half as large again with each step, its middle staying where it was.
function zoomDrawing(root, step) {
  const view = root.querySelector(".bench-drawing .map-scroll, .bench-drawing .plank-scroll");
  const svg = view && view.querySelector("svg");
  if (!svg) return;
  const level = Math.min(Math.max(Number(svg.dataset.level || 0) + step, 0), 8);
  const [x, y] = [view.scrollLeft + view.clientWidth / 2, view.scrollTop + view.clientHeight / 2];
  const before = svg.getBoundingClientRect();
  svg.dataset.level = String(level);
  svg.style.width = level ? `${100 * 1.5 ** level}%` : "";
  for (const side of ["height", "maxHeight"]) svg.style[side] = level ? (side === "height" ? "auto" : "none") : "";
  const after = svg.getBoundingClientRect();
  view.scrollTo(x * after.width / before.width - view.clientWidth / 2, y * after.height / before.height - view.clientHeight / 2);
}

// The panel beside a drawing folds away; on a phone it is a sheet that stands low, half or high.
const SHEETS = ["half", "high", "low"];
function foldPanel(event) {
  const bench = event.currentTarget.closest(".bench");
  if (matchMedia("(max-width: 62rem)").matches) {
    bench.dataset.sheet = SHEETS[(SHEETS.indexOf(bench.dataset.sheet || "half") + 1) % SHEETS.length];
  } else {
    bench.classList.toggle("folded");
  }
  const shut = bench.classList.contains("folded") || bench.dataset.sheet === "low";
  event.currentTarget.setAttribute("aria-expanded", String(!shut));
}

// Options of a part: beside the drawing stand the reasons of the one that is picked, or of the first.
function optionRows() {
  return {
    init() {
      this.show();
      this.$root.addEventListener("change", (event) => { if (event.target.name === "option") this.show(); });
    },
    show() {
      const rows = [...this.$root.querySelectorAll("input[name=option]")];
      const picked = rows.find((row) => row.checked) || rows[0];
      for (const why of this.$root.querySelectorAll(".option-why")) {
        why.hidden = !picked || why.dataset.option !== picked.value;
      }
      // What speaks against the rule is asked only where the one picked is refused.
      const against = this.$root.querySelector("#f-against");
      if (against && !against.classList.contains("is-invalid")) {
        against.closest(".field").hidden = !picked || !picked.checked || !picked.closest(".not-allowed");
      }
    },
    ...benchTools,
  };
}

// Search answers as one types; arrow keys walk from the field through what was found, Enter opens it.
function searcher() {
  let asked = 0;
  return {
    init() {
      const field = this.$root.querySelector("#q"), hits = this.$root.querySelector("#hits");
      const boat = this.$root.querySelector("[name=boat]");
      field.setSelectionRange(field.value.length, field.value.length);
      field.addEventListener("input", async () => {
        const mine = ++asked;
        const here = new URLSearchParams({ q: field.value, ...(boat ? { boat: boat.value } : {}) });
        try {
          const answer = await fetch(`/search/as-typed?${here}`);
          if (!answer.ok || answer.redirected) return;
          const html = await answer.text();
          if (mine !== asked) return;
          hits.innerHTML = html;
          history.replaceState(null, "", `/search?${here}`);
        } catch { /* Without signal what was found before stays, and Enter asks again. */ }
      });
      this.$root.addEventListener("keydown", (event) => {
        const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
        const links = [...hits.querySelectorAll(".hit")];
        if (event.key === "Enter" && event.target === field && links.length) {
          event.preventDefault();
          links[0].click();
        }
        if (!step || !links.length) return;
        event.preventDefault();
        const next = links.indexOf(document.activeElement) + step;
        (next < 0 ? field : links[Math.min(next, links.length - 1)]).focus();
      });
    },
  };
}

// A menu is put away by Escape and by a tap beside it.
document.addEventListener("click", (event) => {
  for (const menu of document.querySelectorAll(".yard-menu[open], .edge-sheet[open], .asks[open]")) {
    if (!menu.contains(event.target)) menu.open = false;
  }
});
// The drawing of a bench alone in the whole window: `v`, and again or Escape back.
function drawingAlone(on = !document.body.classList.contains("alone")) {
  document.body.classList.toggle("alone", on && Boolean(document.querySelector(".bench")));
}

document.addEventListener("keydown", (event) => {
  const types = event.target.closest("input, textarea, select");
  if (event.key === "v" && !types && !event.ctrlKey && !event.metaKey && !event.altKey) drawingAlone();
  if (event.key === "Escape") {
    drawingAlone(false);
    for (const menu of document.querySelectorAll(".yard-menu[open], .edge-sheet[open], .asks[open]")) menu.open = false;
  } else if (event.key === "/" && !event.defaultPrevented && !event.target.closest("input, textarea, select")) {
    const seek = document.querySelector("[data-search]");
    if (!seek) return;
    event.preventDefault();
    location.href = seek.href;
  }
});

// A surface that cannot be kept offline was picked in a cookie: a page out of the device's store follows it too.
{
  const kept = /(?:^|; )surface=(\w+)/.exec(document.cookie);
  if (kept && SURFACES.includes(kept[1])) document.documentElement.dataset.surface = kept[1];
}

// The planking map: cells lie in a grid of strakes and frames.
function shellCells(svg) {
  const grid = JSON.parse(svg.dataset.map);
  const { frames, margin, girth: top, band } = grid;
  const edges = (side) => (side === "S" && grid.starboard) || grid.edges;
  const strakes = grid.edges.length - 1;
  const edge = (side, row, x) => {
    let next = frames.findIndex((f) => f >= x);
    if (next < 1) next = next === 0 ? 1 : frames.length - 1;
    const share = (x - frames[next - 1]) / (frames[next] - frames[next - 1]);
    const line = edges(side)[row];
    return line[next - 1] + (line[next] - line[next - 1]) * share;
  };
  const y = (side, girth) => (side === "P" ? margin + top - girth : margin + top + band + girth);
  const parse = (text) => {
    const found = /^([PS])(\d+) F(\d+)$/.exec(text || "");
    return found && { side: found[1], strake: Number(found[2]), frame: Number(found[3]) };
  };
  return {
    boat: grid.boat,
    selected: parse(grid.selected),
    name: (at) => `${at.side}${at.strake} F${at.frame}`,
    at(p) {
      const x = Math.min(Math.max(p.x - margin, 0), frames[frames.length - 1]);
      const side = p.y < margin + top + band / 2 ? "P" : "S";
      const up = side === "P" ? margin + top - p.y : p.y - margin - top - band;
      let strake = 1;
      while (strake < strakes && up > edge(side, strake, x)) strake++;
      let frame = 1;
      while (frame < frames.length && frames[frame] <= x) frame++;
      return { side, strake, frame };
    },
    outline({ side, strake, frame }) {
      const from = frames[frame - 1], to = frames[Math.min(frame, frames.length - 1)];
      const corner = (row, x) => `${margin + x} ${y(side, edge(side, row, x))}`;
      const right = to > from ? to : from + 60;
      return `M${corner(strake - 1, from)}L${corner(strake - 1, right)}L${corner(strake, right)}L${corner(strake, from)}Z`;
    },
    first: () => ({ side: "P", strake: 1, frame: 1 }),
    // Up on the page is up the topsides to port and towards the keel to starboard.
    step({ side, strake, frame }, strakeStep, frameStep, onPage) {
      let next = strake + (onPage && side === "S" ? -strakeStep : strakeStep), now = side;
      if (next < 1 && onPage) { next = 1; now = side === "P" ? "S" : "P"; }
      return {
        side: now,
        strake: Math.min(Math.max(next, 1), strakes),
        frame: Math.min(Math.max(frame + frameStep, 1), frames.length),
      };
    },
  };
}

// Any other surface: cells are drawn one by one and know their place.
function partCells(svg) {
  const { boat, selected } = JSON.parse(svg.dataset.surface);
  const cells = [...svg.querySelectorAll(".cell")];
  const find = (code) => cells.find((c) => c.dataset.cell === code);
  const middle = (c) => [Number(c.dataset.x), Number(c.dataset.y)];
  return {
    boat,
    selected: selected && find(selected) ? selected : null,
    name: (at) => at,
    at(p, target) {
      const hit = target && target.closest && target.closest("[data-cell]");
      if (hit) return hit.dataset.cell;
      const far = (c) => Math.hypot(middle(c)[0] - p.x, middle(c)[1] - p.y);
      return cells.reduce((best, c) => (far(c) < far(best) ? c : best)).dataset.cell;
    },
    outline(at) {
      return `M${find(at).getAttribute("points").trim().split(/\s+/).join("L")}Z`;
    },
    first: () => cells[0].dataset.cell,
    // The nearest cell that way: what lies beside the way counts double.
    step(at, up, along) {
      const [x, y] = middle(find(at));
      let best = at, least = Infinity;
      for (const c of cells) {
        const dx = middle(c)[0] - x, dy = y - middle(c)[1];
        const ahead = along ? dx * along : dy * up, aside = along ? Math.abs(dy) : Math.abs(dx);
        if (ahead <= 1) continue;
        const cost = ahead + 2.5 * aside;
        if (cost < least) { least = cost; best = c.dataset.cell; }
      }
      return best;
    },
  };
}

const WIDTHS = [100, 160, 250, 400, 640, 1000];

// A map: find the cell under a pointer or the keys, show its panel; layers, zoom.
function plankMap() {
  return {
    init() {
      this.svg = this.$root.querySelector("#map");
      this.letters = JSON.parse(this.$root.dataset.keys);
      this.cells = this.svg.dataset.map ? shellCells(this.svg) : partCells(this.svg);
      this.zoom = 0;
      this.asked = 0;
      this.fingers = new Map();
      this.at = this.cells.selected;
      if (this.at) {
        this.outline();
        this.bringIn();
        this.quickLink();
      }
      // The drawing has the keys when the page opens, also after an address was typed.
      if (document.activeElement === document.body) this.svg.focus({ preventScroll: true });
      this.svg.addEventListener("click", (event) => this.tap(event));
      this.svg.addEventListener("keydown", (event) => this.key(event));
      const view = this.$root.querySelector(".map-scroll");
      view.addEventListener("wheel", (event) => {
        if (!event.ctrlKey) return;
        event.preventDefault();
        this.setZoom(this.zoom + (event.deltaY < 0 ? 1 : -1));
      }, { passive: false });
      for (const kind of ["pointerdown", "pointermove", "pointerup", "pointercancel", "pointerleave"]) {
        view.addEventListener(kind, (event) => this.pinch(event));
      }
      // A phone shows the whole boat first; a place that was asked for is shown close.
      if (this.at && matchMedia("(max-width: 40rem)").matches) this.setZoom(2);
    },
    fold(event) { foldPanel(event); },
    // Two fingers drawn apart zoom in, a step for each half of the distance.
    pinch(event) {
      if (event.pointerType !== "touch") return;
      if (event.type === "pointerdown") this.fingers.set(event.pointerId, [event.clientX, event.clientY]);
      else if (event.type === "pointermove" && this.fingers.has(event.pointerId)) {
        this.fingers.set(event.pointerId, [event.clientX, event.clientY]);
      } else this.fingers.delete(event.pointerId);
      if (this.fingers.size !== 2) { this.apart = 0; return; }
      const [a, b] = [...this.fingers.values()];
      const apart = Math.hypot(a[0] - b[0], a[1] - b[1]);
      if (!this.apart) this.apart = apart;
      else if (apart > this.apart * 1.35) { this.setZoom(this.zoom + 1); this.apart = apart; }
      else if (apart < this.apart / 1.35) { this.setZoom(this.zoom - 1); this.apart = apart; }
    },
    outline() { this.svg.querySelector("#map-cursor").setAttribute("d", this.cells.outline(this.at)); },
    // Quick entry keeps the place that was tapped.
    quickLink() {
      const quick = this.$root.querySelector(".quick-link");
      if (quick) quick.href = this.link("quick");
    },
    tap(event) {
      const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
      this.at = this.cells.at(p, event.target);
      this.outline();
      this.quickLink();
      this.svg.focus({ preventScroll: true });
      this.panel();
    },
    link(path) { return `/boats/${this.cells.boat}/${path}${path.includes("?") ? "&" : "?"}at=${encodeURIComponent(this.cells.name(this.at))}`; },
    async panel() {
      const asked = ++this.asked;
      const at = this.cells.name(this.at);
      const layer = this.svg.dataset.layer;
      const kept = layer && layer !== "none" ? `&layer=${layer}` : "";
      history.replaceState(null, "", `/boats/${this.cells.boat}?at=${encodeURIComponent(at)}${kept}`);
      const panel = document.getElementById("panel");
      try {
        const answer = await fetch(this.link("place"));
        if (!answer.ok || answer.redirected) throw new Error(String(answer.status));
        const html = await answer.text();
        // A slow answer must not overwrite a later one.
        if (asked !== this.asked) return;
        panel.innerHTML = html;
        if (window.keelOffline) window.keelOffline.prepare(panel);
      } catch {
        if (asked === this.asked) this.withoutServer(panel, at);
      }
    },
    // No signal: what is here is not known, but it can be marked.
    withoutServer(panel, at) {
      panel.replaceChildren();
      const add = (tag, text) => { const e = document.createElement(tag); e.textContent = text; panel.append(e); return e; };
      add("h2", at);
      add("p", "The yard’s server does not answer. Nothing you saved is lost, and you can go on marking: it waits on this device.").className = "empty";
      const mark = add("a", "Mark here");
      mark.className = "btn btn-lead";
      mark.href = this.link("quick");
    },
    key(event) {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const moves = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [1, 0], ArrowDown: [-1, 0], "]": [1, 0], "[": [-1, 0] };
      if (moves[event.key]) {
        event.preventDefault();
        this.walk(...moves[event.key], event.key.startsWith("Arrow"));
      } else if (event.key === "?") {
        this.$refs.keys.open = !this.$refs.keys.open;
      } else if (event.key === "+" || event.key === "=") {
        this.setZoom(this.zoom + 1);
      } else if (event.key === "-") {
        this.setZoom(this.zoom - 1);
      } else if (!this.at) {
        return;
      } else if (event.key === "Enter") {
        this.panel();
      } else if (event.key === "n") {
        location.href = this.link("quick");
      } else if (event.key === "z") {
        if (this.svg.dataset.map) location.href = this.link("crossing");
      } else if (this.letters[event.key]) {
        location.href = this.link(`findings/new?kind=${this.letters[event.key]}`);
      }
    },
    walk(up, along, onPage) {
      this.at = this.at ? this.cells.step(this.at, up, along, onPage) : this.cells.first();
      this.outline();
      this.quickLink();
      this.bringIn();
      this.panel();
    },
    layer(event) { this.svg.classList.toggle(`hide-${event.target.dataset.layer}`, !event.target.checked); },
    pickLayer(event) {
      const layer = event.target.value;
      this.svg.dataset.layer = layer;
      for (const legend of this.$root.querySelectorAll("[data-legend]")) legend.hidden = legend.dataset.legend !== layer;
      const here = new URL(location.href);
      here.searchParams.set("layer", layer);
      history.replaceState(null, "", here);
      for (const tab of this.$root.querySelectorAll(".surface-tabs a")) {
        const to = new URL(tab.href);
        to.searchParams.set("layer", layer);
        tab.href = to;
      }
    },
    zoomIn() { this.setZoom(this.zoom + 1); },
    zoomOut() { this.setZoom(this.zoom - 1); },
    setZoom(zoom) {
      // Closer than the map goes lies the crossing itself.
      if (zoom >= WIDTHS.length && this.at && this.svg.dataset.map) { location.href = this.link("crossing"); return; }
      this.zoom = Math.min(Math.max(zoom, 0), WIDTHS.length - 1);
      this.svg.dataset.zoom = String(this.zoom);
      if (this.at) this.bringIn();
    },
    // Scrolls the drawing, not the page, until the selected cell is in its middle.
    bringIn() {
      const view = this.$root.querySelector(".map-scroll");
      const [box, cell] = [view, this.svg.querySelector("#map-cursor")].map((e) => e.getBoundingClientRect());
      view.scrollBy(cell.x + cell.width / 2 - box.x - box.width / 2, cell.y + cell.height / 2 - box.y - box.height / 2);
    },
  };
}

// The fields of a reading: those of the method picked are shown, an instrument fills them.
function measures(root) {
  const method = root.querySelector("[data-method]");
  const show = () => {
    for (const part of root.querySelectorAll("[data-for-method]")) part.hidden = part.dataset.forMethod !== method.value;
    // A look gives no reading that could say the grade: whoever looked is asked for it.
    const says = root.querySelector("input[name=grade][value='']");
    if (!says) return;
    const looked = method.value === "look";
    says.disabled = looked;
    says.closest("label").hidden = looked;
    if (looked) says.checked = false;
    else if (!root.querySelector("input[name=grade]:checked")) says.checked = true;
    for (const grade of root.querySelectorAll("input[name=grade]")) grade.required = looked;
  };
  method.addEventListener("change", show);
  show();
  const simulated = root.querySelector("[data-simulated]"), tag = root.querySelector("[data-simulated-tag]");
  const mark = (on) => { simulated.value = on ? "1" : ""; tag.hidden = !on; };
  // A figure that was typed over is nobody's reading but the typist's.
  root.addEventListener("input", (event) => { if (event.target.closest("[data-for-method]")) mark(false); });
  askHull(root, show);
  for (const button of root.querySelectorAll("[data-instrument]")) {
    button.addEventListener("click", async () => {
      const at = root.dataset.at || (root.querySelector("[name=place]") || {}).value || "";
      const told = button.nextElementSibling;
      try {
        const typed = root.dataset.at ? "" : "&typed=1";
        const answer = await fetch(`/boats/${root.dataset.boat}/simulate/${button.dataset.instrument}?at=${encodeURIComponent(at)}${typed}`);
        if (!answer.ok || answer.redirected) throw new Error(String(answer.status));
        const fields = await answer.json();
        fillIn(root, fields);
        show();
        mark(true);
      } catch { told.textContent = "the instrument does not answer: type the figure"; }
    });
  }
}

// What was typed stays when somebody goes back to a form: pages are not stored by the browser, so each keeps its own fields for as long as
// the tab is open. Keys, passwords and files are not among them.
const TYPED = `typed ${location.pathname}${location.search}`;
function typedFields() {
  const forms = [...document.querySelectorAll("form[method=post]")];
  // By what a form does and not by where it stands: a page that is asked for again may have others before it.
  return forms.flatMap((form) => [...form.elements]
    .filter((e) => e.name && !["hidden", "password", "file", "submit", "button"].includes(e.type))
    .map((e, k) => ({ key: `${form.getAttribute("action")} ${k} ${e.name}`, field: e })));
}
addEventListener("pagehide", () => {
  const kept = Object.fromEntries(typedFields().map(({ key, field }) => [key, /^(checkbox|radio)$/.test(field.type) ? field.checked : field.value]));
  try {
    if (Object.keys(kept).length) sessionStorage.setItem(TYPED, JSON.stringify(kept));
  } catch { /* a device without room only forgets */ }
});
document.addEventListener("alpine:initialized", () => {
  const way = performance.getEntriesByType("navigation")[0];
  if (!way || way.type !== "back_forward") return;
  let kept = {};
  try { kept = JSON.parse(sessionStorage.getItem(TYPED)) || {}; } catch { return; }
  for (const { key, field } of typedFields()) {
    if (!(key in kept)) continue;
    const [name, now] = /^(checkbox|radio)$/.test(field.type) ? ["checked", field.checked] : ["value", field.value];
    if (kept[key] === now) continue;
    field[name] = kept[key];
    for (const event of ["input", "change"]) field.dispatchEvent(new Event(event, { bubbles: true }));
  }
});

// What an instrument says, put into the fields of its names.
function fillIn(root, said) {
  for (const [name, value] of Object.entries(said)) {
    const field = root.querySelector(`[name="${name}"]`);
    if (field) field.value = value;
  }
}

// A practice hull is asked with the method picked: what it says fills the fields, and costs its minutes.
const HULL_TOOLS = { look: "eye", sound: "mallet", spike: "spike", meter: "meter", draw_fastening: "gauge", feeler: "feeler", open_up: "open" };
function askHull(root, show) {
  const button = root.querySelector("[data-ask]");
  if (!button) return;
  const told = root.querySelector("[data-told]");
  button.addEventListener("click", async () => {
    const tool = HULL_TOOLS[root.querySelector("[data-method]").value];
    if (!tool) { told.textContent = "nothing to ask with: take another method"; return; }
    const at = root.dataset.at || (root.querySelector("[name=place]") || {}).value || "";
    const form = root.closest("form") || root.querySelector("form") || document;
    const body = new URLSearchParams({ csrf: form.querySelector("[name=csrf]").value, tool, at });
    button.disabled = true;
    try {
      const answer = await fetch(`/boats/${root.dataset.boat}/ask`, { method: "POST", body });
      if (!answer.ok || answer.redirected) throw new Error(String(answer.status));
      const fields = await answer.json();
      fillIn(root, fields);
      told.textContent = fields.told;
      show();
    } catch { told.textContent = "she cannot be asked here: type a place of her planking"; }
    button.disabled = false;
  });
}

function moreKinds(root) {
  root.querySelector(".kinds").dataset.more = "1";
  root.querySelector(".kinds .rare input").focus();
}

// Told before a large photo is sent over a slow line; the server checks again. Those that may go get their marks.
function pickPhotos(component, event) {
  const limit = Number(component.$root.dataset.photoLimit);
  const files = [...event.target.files];
  const tooLarge = files.some((file) => file.size > limit * 1024 * 1024);
  const note = component.$refs.photoNote;
  note.textContent = tooLarge ? `must not be larger than ${limit} MB` : files.length ? "draw an arrow or a circle on it, or leave it as it is" : "";
  note.className = tooLarge ? "fault" : "hint";
  if (tooLarge) event.target.value = "";
  const drawers = component.$refs.marking;
  drawers.replaceChildren();
  const all = tooLarge ? [] : files.map(() => []);
  const write = () => { component.$refs.marks.value = JSON.stringify(all); };
  write();
  all.forEach((marks, n) => {
    const src = URL.createObjectURL(files[n]);
    drawers.append(photoDrawer(src, marks, write, `Photo ${n + 1}`));
  });
}

// Marking a finding on its part: a draft is drawn, the points go into the form's text.
function findingForm() {
  const how = { line: "Drag along it, or tap its points from tip to tip.", area: "Drag a box round it, or tap its middle.", point: "Tap it; more taps make a row." };
  const DRAG_FROM = 8; // mm: less is a tap
  const TAP_BOX = [40, 20]; // mm each way round a tap
  return {
    how: "",
    init() {
      this.svg = this.$root.querySelector("#plank");
      this.draft = this.$root.querySelector("#plank-draft");
      this.points = [];
      this.start = null;
      this.svg.addEventListener("pointerdown", (event) => { this.start = this.at(event); this.svg.setPointerCapture(event.pointerId); });
      this.svg.addEventListener("pointermove", (event) => { if (this.start) this.show(this.shaped(this.start, this.at(event))); });
      this.svg.addEventListener("pointerup", (event) => this.mark(this.at(event)));
      this.svg.addEventListener("pointercancel", () => { this.start = null; this.show(this.points); });
      if (this.$root.querySelector("[data-method]")) measures(this.$root);
      this.kindChanged();
      this.shapeTyped();
    },
    extent() {
      const picked = this.$root.querySelector("input[name=kind]:checked");
      return picked ? picked.dataset.extent : "line";
    },
    kindChanged() { this.how = `${how[this.extent()]} ${this.$root.dataset.axes}.`; this.show(this.points); },
    moreKinds() { moreKinds(this.$root); },
    // Page to plank: x from the datum, y up from the lower edge, kept on the drawing.
    at(event) {
      const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
      const { from, room, top } = this.svg.dataset;
      const box = this.svg.viewBox.baseVal;
      const x = Math.min(Math.max(p.x, Number(room)), box.width - Number(room));
      const y = Math.min(Math.max(p.y, Number(room)), box.height - Number(room));
      return [Math.round(x - Number(room) + Number(from)), Math.round(Number(top) - (y - Number(room)))];
    },
    isArea() { return this.extent() === "area"; },
    shaped(a, b) {
      const dragged = Math.hypot(a[0] - b[0], a[1] - b[1]) >= DRAG_FROM;
      if (this.isArea()) {
        const [x0, x1, y0, y1] = dragged
          ? [Math.min(a[0], b[0]), Math.max(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[1], b[1])]
          : [a[0] - TAP_BOX[0], a[0] + TAP_BOX[0], Math.max(0, a[1] - TAP_BOX[1]), Math.min(Number(this.svg.dataset.top), a[1] + TAP_BOX[1])];
        return [[x0, y0], [x1, y0], [x1, y1], [x0, y1]];
      }
      return dragged ? [a, b] : [...this.points, b];
    },
    mark(end) {
      if (!this.start) return;
      this.points = this.shaped(this.start, end);
      this.start = null;
      this.write();
    },
    write() {
      this.$refs.shape.value = this.points.map((p) => `${p[0]} mm, ${p[1]} mm`).join("\n");
      this.show(this.points);
    },
    undoPoint() { this.points = this.isArea() ? [] : this.points.slice(0, -1); this.write(); },
    clearShape() { this.points = []; this.write(); },
    // Only plain millimetres are drawn while typing; the server reads every unit.
    shapeTyped() {
      const number = (text) => (/^\s*-?[\d.]+\s*(mm)?\s*$/.test(text) ? parseFloat(text) : NaN);
      const lines = this.$refs.shape.value.split("\n").filter((line) => line.trim());
      const points = lines.map((line) => line.split(/[,;]/).map(number));
      this.points = points.every((p) => p.length === 2 && p.every(Number.isFinite)) ? points : [];
      this.show(this.points);
    },
    show(points) {
      this.draft.replaceChildren();
      if (!points.length) return;
      const { from, room, top } = this.svg.dataset;
      const place = (p) => [p[0] - Number(from) + Number(room), Number(top) - p[1] + Number(room)];
      if (points.length === 1 || this.extent() === "point") {
        for (const [cx, cy] of points.map(place)) {
          const dot = document.createElementNS(SVG_NS, "circle");
          dot.setAttribute("cx", cx);
          dot.setAttribute("cy", cy);
          dot.setAttribute("r", 7);
          this.draft.append(dot);
        }
      } else {
        const mark = document.createElementNS(SVG_NS, this.isArea() ? "polygon" : "polyline");
        mark.setAttribute("points", points.map((p) => place(p).join(",")).join(" "));
        this.draft.append(mark);
      }
    },
    photoPicked(event) { pickPhotos(this, event); },
  };
}

// Quick entry: the place is stepped with a thumb; a page out of the device's store takes its place from the address.
function quickForm() {
  return {
    init() {
      measures(this.$root);
      const asked = new URLSearchParams(location.search);
      const at = asked.get("at");
      if (at && !this.$refs.place.value) this.$refs.place.value = at;
      const kind = asked.get("kind");
      const radio = kind && this.$root.querySelector(`input[name=kind][value="${CSS.escape(kind)}"]`);
      if (radio && !asked.get("like")) {
        radio.checked = true;
        if (radio.closest(".rare")) this.$root.querySelector(".kinds").dataset.more = "1";
      }
    },
    moreKinds() { moreKinds(this.$root); },
    step(event) {
      const place = this.$refs.place;
      const { strake, frame } = event.currentTarget.dataset;
      const clamp = (n, most) => Math.min(Math.max(n, 1), Number(most));
      const shell = /^\s*([PSps])\s*(\d+)\s*[Ff]\s*(\d+)\s*$/.exec(place.value);
      const part = /^\s*(\S+)\s+(\d+)\s*$/.exec(place.value);
      if (shell) {
        const next = [clamp(Number(shell[2]) + Number(strake), this.$root.dataset.strakes), clamp(Number(shell[3]) + Number(frame), this.$root.dataset.frames)];
        place.value = `${shell[1].toUpperCase()}${next[0]} F${next[1]}`;
      } else if (part) {
        place.value = `${part[1].toUpperCase()} ${Math.max(1, Number(part[2]) + Number(strake) + Number(frame))}`;
      } else if (!place.value.trim()) {
        place.value = "P1 F1";
      }
    },
    photoPicked(event) { pickPhotos(this, event); },
  };
}

// Arrows and circles on a photo: kept as data beside it, in shares of its width and height.
function photoMarks() {
  return {
    init() {
      const marks = JSON.parse(this.$root.dataset.marks);
      const write = () => { this.$refs.marks.value = JSON.stringify(marks); };
      this.$refs.marking.append(photoDrawer(this.$root.dataset.src, marks, write, "Photo"));
    },
  };
}

function photoDrawer(src, marks, changed, name) {
  const make = (tag, attributes, parent) => {
    const e = document.createElement(tag);
    for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
    parent.append(e);
    return e;
  };
  const box = document.createElement("div");
  box.className = "photo-drawer";
  const frame = make("div", { class: "photo-frame" }, box);
  const image = make("img", { src, alt: name, draggable: "false" }, frame);
  const svg = document.createElementNS(SVG_NS, "svg");
  svg.setAttribute("role", "img");
  svg.setAttribute("aria-label", `${name}: drag to draw`);
  frame.append(svg);
  const tools = make("div", { class: "photo-tools", role: "group", "aria-label": `Marks on ${name.toLowerCase()}` }, box);
  let tool = "circle";
  const buttons = ["circle", "arrow"].map((kind) => {
    const button = make("button", { type: "button", class: "btn btn-line btn-small", "aria-pressed": String(kind === tool) }, tools);
    button.textContent = kind === "circle" ? "○ Circle" : "↗ Arrow";
    button.addEventListener("click", () => {
      tool = kind;
      buttons.forEach((b) => b.setAttribute("aria-pressed", String(b === button)));
    });
    return button;
  });
  const middle = make("button", { type: "button", class: "btn btn-line btn-small" }, tools);
  middle.textContent = "Mark the middle";
  middle.addEventListener("click", () => {
    marks.push(tool === "circle" ? { kind: tool, from: [0.5, 0.5], to: [0.65, 0.5] } : { kind: tool, from: [0.25, 0.75], to: [0.5, 0.5] });
    draw();
    changed();
  });
  const back = make("button", { type: "button", class: "btn btn-line btn-small" }, tools);
  back.textContent = "Take back";
  back.addEventListener("click", () => { marks.pop(); draw(); changed(); });

  let start = null, draft = null;
  const at = (event) => {
    const r = svg.getBoundingClientRect();
    const share = (v, from, size) => Math.round(Math.min(Math.max((v - from) / Math.max(size, 1), 0), 1) * 1000) / 1000;
    return [share(event.clientX, r.x, r.width), share(event.clientY, r.y, r.height)];
  };
  svg.addEventListener("pointerdown", (event) => { start = at(event); svg.setPointerCapture(event.pointerId); });
  svg.addEventListener("pointermove", (event) => { if (start) { draft = { kind: tool, from: start, to: at(event) }; draw(); } });
  svg.addEventListener("pointercancel", () => { start = draft = null; draw(); });
  svg.addEventListener("pointerup", (event) => {
    if (!start) return;
    const end = at(event);
    if (Math.hypot(end[0] - start[0], end[1] - start[1]) > 0.02) { marks.push({ kind: tool, from: start, to: end }); changed(); }
    start = draft = null;
    draw();
  });
  function draw() {
    const [w, h] = [image.naturalWidth || 4, image.naturalHeight || 3];
    svg.setAttribute("viewBox", `0 0 ${w} ${h}`);
    svg.replaceChildren();
    const thick = Math.max(w, h) / 130;
    for (const m of draft ? [...marks, draft] : marks) {
      const [x0, y0, x1, y1] = [m.from[0] * w, m.from[1] * h, m.to[0] * w, m.to[1] * h];
      let d;
      if (m.kind === "circle") {
        const r = Math.hypot(x1 - x0, y1 - y0);
        d = `M${x0 - r} ${y0}a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0`;
      } else {
        const angle = Math.atan2(y1 - y0, x1 - x0), barb = thick * 5;
        const tip = (turn) => `M${x1} ${y1}L${x1 + barb * Math.cos(angle + turn)} ${y1 + barb * Math.sin(angle + turn)}`;
        d = `M${x0} ${y0}L${x1} ${y1}${tip(2.6)}${tip(-2.6)}`;
      }
      for (const [kind, width] of [["halo", thick * 2], ["ink", thick]]) {
        const path = document.createElementNS(SVG_NS, "path");
        path.setAttribute("class", `photo-mark ${kind}`);
        path.setAttribute("stroke-width", width);
        path.setAttribute("d", d);
        svg.append(path);
      }
    }
  }
  image.addEventListener("load", draw);
  draw();
  return box;
}

// Every measurement field says what it was understood as.
document.addEventListener("change", async (event) => {
  if (!event.target.matches("[data-length]")) return;
  const echo = event.target.closest(".field").querySelector(".echo");
  const text = event.target.value.trim();
  if (!text) { echo.textContent = ""; return; }
  try {
    const answer = await fetch(`/echo/length?text=${encodeURIComponent(text)}`);
    if (answer.ok && !answer.redirected) echo.textContent = await answer.text();
  } catch { echo.textContent = ""; }
});

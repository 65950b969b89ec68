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
});

// The planking map: find the cell under a pointer or the keys, show its panel.
function plankMap() {
  const letters = { c: "crack", r: "rot", g: "gouge", f: "sick_fastening", o: "open_seam" };
  return {
    init() {
      this.svg = this.$root.querySelector("#map");
      this.grid = JSON.parse(this.svg.dataset.map);
      this.zoom = 1;
      this.at = this.parse(this.grid.selected);
      this.asked = 0;
      if (this.at) {
        this.outline();
        this.bringIn();
      }
      this.svg.addEventListener("click", (event) => this.tap(event));
      this.svg.addEventListener("keydown", (event) => this.key(event));
      document.addEventListener("keydown", (event) => {
        if (event.key === "/" && !event.target.matches("input, textarea, select")) {
          event.preventDefault();
          this.$root.querySelector("#find").focus();
        }
      });
    },
    parse(text) {
      const found = /^([PS])(\d+) F(\d+)$/.exec(text || "");
      return found && { side: found[1], strake: Number(found[2]), frame: Number(found[3]) };
    },
    name(at) { return `${at.side}${at.strake} F${at.frame}`; },
    strakes() { return this.grid.edges.length - 1; },
    edge(row, x) {
      const { frames, edges } = this.grid;
      let next = frames.findIndex((f) => f >= x);
      if (next < 1) next = next === 0 ? 1 : frames.length - 1;
      const share = (x - frames[next - 1]) / (frames[next] - frames[next - 1]);
      return edges[row][next - 1] + (edges[row][next] - edges[row][next - 1]) * share;
    },
    y(side, girth) {
      const { margin, girth: top, band } = this.grid;
      return side === "P" ? margin + top - girth : margin + top + band + girth;
    },
    cellAt(event) {
      const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
      const { margin, girth, band, frames } = this.grid;
      const x = Math.min(Math.max(p.x - margin, 0), frames[frames.length - 1]);
      const side = p.y < margin + girth + band / 2 ? "P" : "S";
      const up = side === "P" ? margin + girth - p.y : p.y - margin - girth - band;
      let strake = 1;
      while (strake < this.strakes() && up > this.edge(strake, x)) strake++;
      let frame = 1;
      while (frame < frames.length && frames[frame] <= x) frame++;
      return { side, strake, frame };
    },
    outline() {
      const { frames, margin } = this.grid;
      const { side, strake, frame } = this.at;
      const from = frames[frame - 1], to = frames[Math.min(frame, frames.length - 1)];
      const corner = (row, x) => `${margin + x} ${this.y(side, this.edge(row, x))}`;
      const right = to > from ? to : from + 60;
      this.svg.querySelector("#map-cursor").setAttribute(
        "d", `M${corner(strake - 1, from)}L${corner(strake - 1, right)}L${corner(strake, right)}L${corner(strake, from)}Z`);
    },
    tap(event) {
      this.at = this.cellAt(event);
      this.outline();
      this.svg.focus({ preventScroll: true });
      this.panel();
    },
    async panel() {
      const asked = ++this.asked;
      const at = this.name(this.at);
      history.replaceState(null, "", `/boats/${this.grid.boat}?at=${encodeURIComponent(at)}`);
      const panel = document.getElementById("panel");
      try {
        const answer = await fetch(`/boats/${this.grid.boat}/place?at=${encodeURIComponent(at)}`);
        if (!answer.ok || answer.redirected) throw new Error(String(answer.status));
        const html = await answer.text();
        // A slow answer must not overwrite a later one.
        if (asked === this.asked) panel.innerHTML = html;
      } catch {
        if (asked === this.asked) panel.textContent = `${at}: the yard's server does not answer. Nothing you saved is lost; try again.`;
      }
    },
    key(event) {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const moves = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [1, 0], ArrowDown: [-1, 0], "]": [1, 0], "[": [-1, 0] };
      if (moves[event.key]) {
        event.preventDefault();
        this.walk(...moves[event.key], event.key.startsWith("Arrow"));
      } else if (event.key === "?") {
        this.$refs.keys.open = !this.$refs.keys.open;
      } else if (event.key === "Enter" && this.at) {
        this.panel();
      } else if (letters[event.key] && this.at) {
        location.href = `/boats/${this.grid.boat}/findings/new?at=${encodeURIComponent(this.name(this.at))}&kind=${letters[event.key]}`;
      }
    },
    // Up on the page is up the topsides to port and towards the keel to starboard.
    walk(strakes, frames, onPage) {
      if (!this.at) this.at = { side: "P", strake: 1, frame: 1 };
      else {
        const { side, strake, frame } = this.at;
        const step = onPage && side === "S" ? -strakes : strakes;
        let next = strake + step, now = side;
        if (next < 1 && onPage) { next = 1; now = side === "P" ? "S" : "P"; }
        this.at = {
          side: now,
          strake: Math.min(Math.max(next, 1), this.strakes()),
          frame: Math.min(Math.max(frame + frames, 1), this.grid.frames.length),
        };
      }
      this.outline();
      this.bringIn();
      this.panel();
    },
    layer(event) {
      this.svg.classList.toggle(`hide-${event.target.dataset.layer}`, !event.target.checked);
    },
    zoomIn() { this.setZoom(this.zoom + 1); },
    zoomOut() { this.setZoom(this.zoom - 1); },
    setZoom(zoom) {
      this.zoom = Math.min(Math.max(zoom, 1), 4);
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

// Marking a finding on the plank: a draft is drawn, the points go into the form's text.
function findingForm() {
  const how = {
    crack: "Drag along the crack, or tap its points from tip to tip. x runs aft from the after edge of the frame, y up from the lower edge.",
    rot: "Drag a box round the soft wood, or tap its middle. x runs aft from the after edge of the frame, y up from the lower edge.",
    gouge: "Drag a box round the gouge, or tap its middle. x runs aft from the after edge of the frame, y up from the lower edge.",
    sick_fastening: "Tap the fastening. x runs aft from the after edge of the frame, y up from the lower edge.",
    open_seam: "Drag along the seam. x runs aft from the after edge of the frame, y up from the lower edge.",
  };
  const DRAG_FROM = 8; // mm: less is a tap
  const TAP_BOX = [40, 20]; // mm each way round a tap
  return {
    how: how.crack,
    init() {
      this.svg = this.$root.querySelector("#plank");
      this.draft = this.$root.querySelector("#plank-draft");
      this.points = [];
      this.start = null;
      this.svg.addEventListener("pointerdown", (event) => { this.start = this.at(event); this.svg.setPointerCapture(event.pointerId); });
      this.svg.addEventListener("pointermove", (event) => { if (this.start) this.show(this.shaped(this.start, this.at(event))); });
      this.svg.addEventListener("pointerup", (event) => this.mark(this.at(event)));
      this.svg.addEventListener("pointercancel", () => { this.start = null; this.show(this.points); });
      this.kindChanged();
      this.methodChanged();
      this.shapeTyped();
    },
    kind() {
      const picked = this.$root.querySelector("input[name=kind]:checked");
      return picked ? picked.value : "crack";
    },
    kindChanged() { this.how = how[this.kind()]; this.show(this.points); },
    methodChanged() {
      const method = this.$refs.method.value;
      for (const part of this.$root.querySelectorAll("[data-for-method]")) {
        part.hidden = part.dataset.forMethod !== method;
      }
    },
    // Page to plank: x from the datum, y up from the lower edge, kept on the drawing.
    at(event) {
      const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
      const { from, room, top } = this.svg.dataset;
      const box = this.svg.viewBox.baseVal;
      const x = Math.min(Math.max(p.x, Number(room)), box.width - Number(room));
      const y = Math.min(Math.max(p.y, Number(room)), box.height - Number(room));
      return [Math.round(x - Number(room) + Number(from)), Math.round(Number(top) - (y - Number(room)))];
    },
    isArea() { return this.kind() === "rot" || this.kind() === "gouge"; },
    shaped(a, b) {
      const dragged = Math.hypot(a[0] - b[0], a[1] - b[1]) >= DRAG_FROM;
      if (this.isArea()) {
        const [x0, x1, y0, y1] = dragged
          ? [Math.min(a[0], b[0]), Math.max(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[1], b[1])]
          : [a[0] - TAP_BOX[0], a[0] + TAP_BOX[0], Math.max(0, a[1] - TAP_BOX[1]), Math.min(Number(this.svg.dataset.top), a[1] + TAP_BOX[1])];
        return [[x0, y0], [x1, y0], [x1, y1], [x0, y1]];
      }
      if (this.kind() === "sick_fastening") return [b];
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
      let mark;
      if (points.length === 1) {
        mark = document.createElementNS(SVG_NS, "circle");
        const [cx, cy] = place(points[0]);
        mark.setAttribute("cx", cx);
        mark.setAttribute("cy", cy);
        mark.setAttribute("r", 7);
      } else {
        mark = document.createElementNS(SVG_NS, this.isArea() ? "polygon" : "polyline");
        mark.setAttribute("points", points.map((p) => place(p).join(",")).join(" "));
      }
      this.draft.append(mark);
    },
    // Told before a large photo is sent over a slow line; the server checks again.
    photoPicked(event) {
      const limit = Number(this.$root.dataset.photoLimit);
      const file = event.target.files[0];
      const tooLarge = Boolean(file) && file.size > limit * 1024 * 1024;
      const note = this.$refs.photoNote;
      note.textContent = tooLarge ? `must not be larger than ${limit} MB` : file ? file.name : "";
      note.className = tooLarge ? "fault" : "hint";
      if (tooLarge) event.target.value = "";
    },
  };
}

// Every measurement field says what it was understood as.
document.addEventListener("change", async (event) => {
  if (!event.target.matches("[data-length]")) return;
  const echo = event.target.closest(".field").querySelector(".echo");
  const text = event.target.value.trim();
  if (!text) { echo.textContent = ""; return; }
  try {
    const answer = await fetch(`/echo/length?text=${encodeURIComponent(text)}`);
    if (answer.ok) echo.textContent = await answer.text();
  } catch { echo.textContent = ""; }
});

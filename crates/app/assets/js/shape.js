// Deciding and shaping in the browser: joints and corners that are dragged, and tables of measurements.
// What a place is worth is asked of the server; this only points and shows the answer.
"use strict";

document.addEventListener("alpine:init", () => {
  Alpine.data("outlineEditor", outlineEditor);
  Alpine.data("layoutDrag", layoutDrag);
  Alpine.data("measureTable", measureTable);
  Alpine.data("gridTable", gridTable);
  Alpine.data("tracer", tracer);
});

// Asks for a fragment; a slow answer never overwrites a later one.
function asker() {
  let asked = 0;
  return async (url) => {
    const mine = ++asked;
    try {
      const answer = await fetch(url);
      if (!answer.ok || answer.redirected) throw new Error(String(answer.status));
      const html = await answer.text();
      return mine === asked ? html : null;
    } catch {
      return mine === asked ? "<p class=\"fault\">The yard’s server does not answer: the rules were not checked.</p>" : null;
    }
  };
}

function onPage(svg, event) {
  return new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
}

// A graving piece's corners: dragged, or moved by the arrow keys, the rules looking on.
function outlineEditor() {
  return {
    ...benchTools,
    init() {
      this.svg = this.$root.querySelector(".piece-drawing");
      // A picture has nothing in it to take hold of; now it has.
      this.svg.setAttribute("role", "group");
      this.says = this.$root.querySelector("#outline-check");
      this.polygon = this.svg.querySelector("polygon.piece");
      this.ask = asker();
      for (const old of this.svg.querySelectorAll(".corner, .corner-number")) old.remove();
      this.layer = document.createElementNS(SVG_NS, "g");
      this.svg.append(this.layer);
      this.points = this.read();
      this.build();
      this.light();
    },
    read() {
      const lines = this.$refs.outline.value.split("\n").filter((line) => line.trim());
      const points = lines.map((line) => line.split(",").map(Number));
      return points.length >= 3 && points.every((p) => p.length === 2 && p.every(Number.isFinite)) ? points : this.points || [];
    },
    place([x, y]) {
      const { from, room, top } = this.svg.dataset;
      return [x - Number(from) + Number(room), Number(top) - y + Number(room)];
    },
    build() {
      this.layer.replaceChildren();
      this.corners = this.points.map((_, i) => {
        const add = (tag, attributes) => {
          const e = document.createElementNS(SVG_NS, tag);
          for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
          this.layer.append(e);
          return e;
        };
        const dot = add("circle", { class: "corner", r: 4 });
        const number = add("text", { class: "corner-number" });
        number.textContent = String(i + 1);
        const grip = add("circle", { class: "corner-grip", r: 16, tabindex: 0, role: "button", "data-corner": i });
        grip.addEventListener("pointerdown", (event) => { this.held = i; grip.setPointerCapture(event.pointerId); event.preventDefault(); grip.focus(); });
        grip.addEventListener("pointermove", (event) => { if (this.held === i) this.drag(i, event); });
        for (const end of ["pointerup", "pointercancel"]) grip.addEventListener(end, () => { this.held = null; });
        grip.addEventListener("keydown", (event) => this.key(i, event));
        return { dot, number, grip };
      });
      this.draw();
    },
    drag(i, event) {
      const { from, room, top } = this.svg.dataset;
      const p = onPage(this.svg, event);
      const y = Math.min(Math.max(Number(top) - (p.y - Number(room)), 0), Number(top));
      this.move(i, [Math.round(p.x - Number(room) + Number(from)), Math.round(y)]);
    },
    key(i, event) {
      const ways = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
      const way = ways[event.key];
      if (!way) return;
      event.preventDefault();
      const by = event.shiftKey ? 10 : 1;
      const top = Number(this.svg.dataset.top);
      this.move(i, [this.points[i][0] + way[0] * by, Math.min(Math.max(this.points[i][1] + way[1] * by, 0), top)]);
    },
    move(i, point) {
      this.points[i] = point;
      this.draw();
      this.write();
    },
    draw() {
      this.polygon.setAttribute("points", this.points.map((p) => this.place(p).join(",")).join(" "));
      this.corners.forEach(({ dot, number, grip }, i) => {
        const [x, y] = this.place(this.points[i]);
        for (const e of [dot, grip]) { e.setAttribute("cx", x); e.setAttribute("cy", y); }
        number.setAttribute("x", x + 6);
        number.setAttribute("y", y - 6);
        grip.setAttribute("aria-label", `Corner ${i + 1}: ${Math.round(this.points[i][0])} mm along, ${Math.round(this.points[i][1])} mm up`);
      });
    },
    text() { return this.points.map((p) => `${p[0].toFixed(3)}, ${p[1].toFixed(3)}`).join("\n"); },
    write() {
      this.$refs.outline.value = this.text();
      this.check();
    },
    async check() {
      const html = await this.ask(`${this.$root.dataset.check}?outline=${encodeURIComponent(this.text())}`);
      if (html === null) return;
      this.says.innerHTML = html;
      this.light();
    },
    // Corners that break a rule.
    light() {
      const state = this.says && this.says.querySelector(".check-state");
      const bad = new Set(state ? state.dataset.bad.split(" ") : []);
      this.corners.forEach(({ dot }, i) => dot.classList.toggle("bad", bad.has(String(i))));
    },
    typed() { this.points = this.read(); this.build(); this.check(); },
    smallest() {
      this.$refs.outline.value = this.$root.dataset.least;
      this.typed();
    },
  };
}

// New lengths laid out over several planks: each joint is moved from bay to bay, pairs that are too close light up.
function layoutDrag() {
  return {
    ...benchTools,
    init() {
      this.box = this.$root.querySelector("#layout");
      this.ask = asker();
      this.box.addEventListener("pointerdown", (event) => this.take(event));
      this.box.addEventListener("pointermove", (event) => this.drag(event));
      for (const end of ["pointerup", "pointercancel"]) this.box.addEventListener(end, () => this.drop());
      this.box.addEventListener("keydown", (event) => this.key(event));
      this.light();
    },
    svg() { return this.box.querySelector("#map"); },
    take(event) {
      const joint = event.target.closest && event.target.closest(".new-joint");
      if (!joint) return;
      event.preventDefault();
      joint.focus();
      joint.setPointerCapture(event.pointerId);
      this.held = joint;
    },
    // The bay under the pointer, within what the joint may do.
    bay(joint, event) {
      const { frames, margin } = JSON.parse(this.svg().dataset.map);
      const x = onPage(this.svg(), event).x - margin;
      return this.clamp(joint, frames.filter((f) => f <= x).length);
    },
    clamp(joint, bay) {
      return Math.min(Math.max(bay, Number(joint.getAttribute("aria-valuemin"))), Number(joint.getAttribute("aria-valuemax")));
    },
    drag(event) {
      if (!this.held) return;
      this.move(this.held, this.bay(this.held, event));
    },
    key(event) {
      const joint = event.target.closest && event.target.closest(".new-joint");
      const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!joint || !step) return;
      event.preventDefault();
      this.move(joint, this.clamp(joint, Number(joint.getAttribute("aria-valuenow")) + step));
    },
    async move(joint, bay) {
      if (bay === Number(joint.getAttribute("aria-valuenow"))) return;
      const { frames } = JSON.parse(this.svg().dataset.map);
      const middle = (b) => (frames[b - 1] + frames[b]) / 2;
      joint.dataset.home = joint.dataset.home || joint.getAttribute("aria-valuenow");
      joint.setAttribute("aria-valuenow", bay);
      joint.setAttribute("aria-valuetext", `bay ${bay}`);
      joint.setAttribute("transform", `translate(${middle(bay) - middle(Number(joint.dataset.home))} 0)`);
      const field = this.box.querySelector("[name=layout]");
      field.value = this.changed(field.value, joint.dataset.part, joint.dataset.which, bay);
      const html = await this.ask(`${this.box.dataset.check}layout=${encodeURIComponent(field.value)}`);
      if (html === null) return;
      this.answer = html;
      if (this.held) this.tell(html);
      else this.show(html);
    },
    // One joint of a layout `part:fore:aft:between+between,…` put into another bay.
    changed(layout, part, which, bay) {
      return layout.split(",").map((one) => {
        const fields = one.split(":");
        if (fields[0] !== part) return one;
        if (which === "fore") fields[1] = bay;
        else if (which === "aft") fields[2] = bay;
        else {
          const between = fields[3].split("+");
          between[Number(which.slice("between".length))] = bay;
          fields[3] = between.join("+");
        }
        return fields.join(":");
      }).join(",");
    },
    // While a joint is held the drawing under the finger stays; what is said of it changes.
    tell(html) {
      const fresh = document.createElement("template");
      fresh.innerHTML = html;
      for (const part of [".layout-state", "#layout-says"]) {
        const [now, next] = [this.box.querySelector(part), fresh.content.querySelector(part)];
        if (now && next) now.replaceWith(next);
      }
      this.light();
    },
    drop() {
      if (!this.held) return;
      this.focusOn(this.held);
      this.held = null;
      if (this.answer) this.show(this.answer);
    },
    focusOn(joint) { this.last = { part: joint.dataset.part, which: joint.dataset.which }; },
    show(html) {
      const focused = document.activeElement && document.activeElement.closest(".new-joint");
      if (focused) this.focusOn(focused);
      const scroll = this.box.querySelector(".map-scroll");
      const [left, top] = scroll ? [scroll.scrollLeft, scroll.scrollTop] : [0, 0];
      this.answer = null;
      this.box.innerHTML = html;
      const again = this.box.querySelector(".map-scroll");
      if (again) again.scrollTo(left, top);
      this.light();
      if (this.last) {
        const joint = [...this.box.querySelectorAll(".new-joint")].find((j) => j.dataset.part === this.last.part && j.dataset.which === this.last.which);
        if (joint) joint.focus({ preventScroll: true });
      }
    },
    light() {
      const svg = this.svg(), state = this.box.querySelector(".layout-state");
      if (!svg || !state) return;
      for (const old of svg.querySelectorAll(".trial-pair")) old.remove();
      for (const lit of svg.querySelectorAll(".joint.bad")) lit.classList.remove("bad");
      const find = (key) => {
        const fixed = svg.querySelector(`[data-joint="${key}"]`);
        if (fixed) return fixed;
        const own = (j) => `${j.dataset.side}${j.dataset.strake}.${j.getAttribute("aria-valuenow")}` === key;
        const joint = [...svg.querySelectorAll(".new-joint")].find(own);
        return joint && joint.querySelector(".joint");
      };
      const middle = (e) => {
        const box = e.getBBox();
        const moved = e.parentNode.classList.contains("new-joint") ? e.parentNode.transform.baseVal.consolidate() : null;
        return [box.x + box.width / 2 + (moved ? moved.matrix.e : 0), box.y + box.height / 2];
      };
      for (const [a, b] of JSON.parse(state.dataset.pairs)) {
        const ends = [find(a), find(b)];
        if (!ends.every(Boolean)) continue;
        ends.forEach((e) => e.classList.add("bad"));
        const line = document.createElementNS(SVG_NS, "path");
        const [[x0, y0], [x1, y1]] = ends.map(middle);
        line.setAttribute("class", "too-close trial-pair");
        line.setAttribute("d", `M${x0} ${y0}L${x1} ${y1}`);
        svg.append(line);
      }
    },
  };
}

// A table of measurements: Enter goes on, the last cell adds a row, and a column pasted from elsewhere spreads.
function measureTable() {
  const MOST = 60;
  return {
    init() {
      this.body = this.$root.querySelector(".measure-table tbody");
      const focus = this.$root.dataset.focus;
      const field = (focus && this.$root.elements[focus]) || this.$root.querySelector(".is-invalid");
      if (field) {
        field.focus();
        if (field.select) field.select();
      }
      if (!this.body) return;
      this.body.addEventListener("keydown", (event) => this.key(event));
      this.body.addEventListener("paste", (event) => this.paste(event));
    },
    cells() { return [...this.body.querySelectorAll("[data-cell]")]; },
    perRow() { return this.body.rows[0].querySelectorAll("[data-cell]").length; },
    key(event) {
      if (!event.target.matches("[data-cell]")) return;
      const step = { Enter: 1, ArrowDown: this.perRow(), ArrowUp: -this.perRow() }[event.key];
      if (!step) return;
      event.preventDefault();
      this.go(event.target, step);
    },
    go(from, step) {
      const at = this.cells().indexOf(from) + step;
      while (at >= this.cells().length && this.addRow());
      const next = this.cells()[at];
      if (!next) return;
      next.focus();
      next.select();
    },
    addRow() {
      const number = this.body.rows.length;
      if (number >= MOST) return false;
      const row = this.body.rows[number - 1].cloneNode(true);
      row.cells[0].textContent = String(number + 1);
      for (const old of row.querySelectorAll(".fault")) old.remove();
      for (const field of row.querySelectorAll("input, select")) {
        field.name = field.name.replace(/\d+$/, String(number));
        field.setAttribute("aria-label", field.getAttribute("aria-label").replace(/\d+$/, String(number + 1)));
        field.classList.remove("is-invalid");
        if (field.tagName === "INPUT") field.value = "";
      }
      this.body.append(row);
      return true;
    },
    paste(event) {
      if (!event.target.matches("[data-cell]")) return;
      const text = event.clipboardData.getData("text");
      if (!/[\t\n]/.test(text.trim())) return;
      event.preventDefault();
      const start = this.cells().indexOf(event.target), wide = this.perRow();
      text.trimEnd().split(/\r?\n/).forEach((line, down) => line.split("\t").forEach((value, across) => {
        if ((start % wide) + across >= wide) return;
        const at = start + down * wide + across;
        while (at >= this.cells().length && this.addRow());
        if (this.cells()[at]) this.cells()[at].value = value.trim();
      }));
    },
  };
}

// Widths and spacings as a table: arrows walk up and down, a block from a spreadsheet is pasted, what was understood is
// said, and only cells that were typed over are sent.
function gridTable() {
  return {
    init() {
      this.rows = [...this.$root.querySelectorAll("tbody tr")].map((row) => [...row.querySelectorAll("td")].map((cell) => cell.querySelector("input")));
      this.before = [];
      this.$root.addEventListener("keydown", (event) => this.key(event));
      this.$root.addEventListener("paste", (event) => this.paste(event));
      this.$root.addEventListener("change", (event) => this.understood(event));
      this.$root.addEventListener("submit", () => {
        for (const cell of this.rows.flat()) if (cell && cell.value === cell.defaultValue && !cell.classList.contains("is-invalid")) cell.disabled = true;
      });
    },
    at(cell) {
      const down = this.rows.findIndex((row) => row.includes(cell));
      return down < 0 ? null : [down, this.rows[down].indexOf(cell)];
    },
    key(event) {
      if ((event.ctrlKey || event.metaKey) && event.key === "z" && this.before.length) {
        event.preventDefault();
        for (const [cell, value] of this.before.pop()) cell.value = value;
        return;
      }
      const step = { ArrowUp: -1, ArrowDown: 1, Enter: 1 }[event.key], here = this.at(event.target);
      if (!step || !here) return;
      event.preventDefault();
      const next = this.rows[here[0] + step] && this.rows[here[0] + step][here[1]];
      if (next) { next.focus(); next.select(); }
    },
    paste(event) {
      const here = this.at(event.target), text = event.clipboardData.getData("text");
      if (!here || !/[\t\n]/.test(text.trim())) return;
      event.preventDefault();
      const old = [];
      text.trimEnd().split(/\r?\n/).forEach((line, down) => line.split("\t").forEach((value, across) => {
        const cell = this.rows[here[0] + down] && this.rows[here[0] + down][here[1] + across];
        if (!cell || cell.readOnly) return;
        old.push([cell, cell.value]);
        cell.value = value.trim();
      }));
      this.before.push(old);
    },
    async understood(event) {
      const echo = this.$root.querySelector("#understood"), cell = event.target;
      if (!this.at(cell)) return;
      try {
        const answer = await fetch(`/echo/length?text=${encodeURIComponent(cell.value.trim())}`);
        if (answer.ok && !answer.redirected) echo.textContent = `${cell.getAttribute("aria-label")}: ${await answer.text()}`;
      } catch { echo.textContent = ""; }
    },
  };
}

// A photograph that is traced: a click writes its place into the lines of marks, or of the outline.
function tracer() {
  return {
    mode: "marks",
    init() {
      this.img = this.$root.querySelector(".trace-picture img");
      if (!this.img) return;
      this.svg = this.$root.querySelector(".trace-picture svg");
      for (const name of ["marks", "traced"]) this.lines(name).addEventListener("input", () => this.draw());
      if (this.img.complete) this.draw();
      else this.img.addEventListener("load", () => this.draw());
    },
    lines(name) { return this.$root.querySelector(`textarea[name="${name}"]`); },
    pick(event) { this.mode = event.target.value; },
    press(event) {
      const box = this.img.getBoundingClientRect();
      const at = (client, from, size, natural) => ((client - from) / size * natural).toFixed(1);
      const x = at(event.clientX, box.left, box.width, this.img.naturalWidth);
      const y = at(event.clientY, box.top, box.height, this.img.naturalHeight);
      const field = this.lines(this.mode);
      const before = field.value.trimEnd();
      field.value = `${before}${before ? "\n" : ""}${x}; ${y}${this.mode === "marks" ? "; " : ""}`;
      this.draw();
      // Where a mark is must be typed: the keyboard stands ready behind what was clicked.
      if (this.mode === "marks") field.focus();
    },
    undo() {
      const field = this.lines(this.mode);
      field.value = field.value.trimEnd().split("\n").slice(0, -1).join("\n");
      this.draw();
    },
    places(name) {
      const all = this.lines(name).value.split("\n").map((line) => line.split(/[;,]/).slice(0, 2).map(Number));
      return all.filter((p) => p.length === 2 && p.every(Number.isFinite));
    },
    draw() {
      const wide = this.img.naturalWidth;
      this.svg.setAttribute("viewBox", `0 0 ${wide} ${this.img.naturalHeight}`);
      const add = (tag, attributes, words) => {
        const e = document.createElementNS(SVG_NS, tag);
        for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
        if (words) e.textContent = words;
        this.svg.append(e);
      };
      this.svg.replaceChildren();
      const outline = this.places("traced");
      if (outline.length > 1) add("polygon", { class: "trace-outline", points: outline.map((p) => p.join(",")).join(" ") });
      const r = wide / 160;
      outline.forEach(([x, y]) => add("circle", { class: "trace-point", cx: x, cy: y, r: r * 0.7 }));
      this.places("marks").forEach(([x, y], i) => {
        add("path", { class: "trace-mark", d: `M${x - 2 * r} ${y}h${4 * r}M${x} ${y - 2 * r}v${4 * r}` });
        add("text", { class: "trace-word", x: x + r, y: y - r, "font-size": 4 * r }, String(i + 1));
      });
    },
  };
}

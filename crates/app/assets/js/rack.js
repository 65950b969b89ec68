// The rack in the browser: defects dragged onto a board, and long work that is waited for.
"use strict";

document.addEventListener("alpine:init", () => {
  Alpine.data("boardDefects", boardDefects);
  Alpine.data("longWork", longWork);
});

// A box dragged on the board becomes a line of the defects' field; lines typed there are drawn.
function boardDefects() {
  return {
    init() {
      this.svg = this.$root.querySelector(".board-drawing");
      this.kind = this.$root.querySelector("[name=defect_kind]");
      this.layer = document.createElementNS(SVG_NS, "g");
      this.svg.append(this.layer);
      this.svg.classList.add("entry");
      this.svg.addEventListener("pointerdown", (event) => { this.start = this.at(event); this.svg.setPointerCapture(event.pointerId); });
      this.svg.addEventListener("pointermove", (event) => { if (this.start) this.draw(this.box(this.at(event))); });
      this.svg.addEventListener("pointerup", (event) => this.drop(event));
      this.svg.addEventListener("pointercancel", () => { this.start = null; this.draw(); });
      this.$refs.defects.addEventListener("change", () => this.draw());
      this.draw();
    },
    at(event) {
      const { room, width, length } = this.svg.dataset;
      const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
      const held = (v, most) => Math.round(Math.min(Math.max(v, 0), Number(most)));
      return [held(p.x - Number(room), length), held(Number(room) + Number(width) - p.y, width)];
    },
    box(end) {
      const [a, b] = [this.start, end];
      return [Math.min(a[0], b[0]), Math.max(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[1], b[1])];
    },
    drop(event) {
      if (!this.start) return;
      let [x0, x1, y0, y1] = this.box(this.at(event));
      const { width, length } = this.svg.dataset;
      // A tap is a place as large as a thumb.
      if (x1 - x0 < 5 || y1 - y0 < 5) [x0, x1, y0, y1] = [Math.max(0, x0 - 15), Math.min(Number(length), x1 + 15), Math.max(0, y0 - 15), Math.min(Number(width), y1 + 15)];
      this.start = null;
      const field = this.$refs.defects;
      field.value = [...field.value.split("\n").filter((l) => l.trim()), `${this.kind.value}, ${x0} mm, ${x1} mm, ${y0} mm, ${y1} mm`].join("\n");
      this.draw();
    },
    // Only plain millimetres are drawn while typing; the server reads every unit.
    draw(draft) {
      this.layer.replaceChildren();
      const { room, width } = this.svg.dataset;
      const add = ([x0, x1, y0, y1], kind) => {
        if (![x0, x1, y0, y1].every(Number.isFinite)) return;
        const rect = document.createElementNS(SVG_NS, "rect");
        rect.setAttribute("class", draft && kind === null ? "board-defect draft-defect" : "board-defect severity-2");
        rect.setAttribute("x", Number(room) + x0);
        rect.setAttribute("y", Number(room) + Number(width) - y1);
        rect.setAttribute("width", Math.max(x1 - x0, 1));
        rect.setAttribute("height", Math.max(y1 - y0, 1));
        this.layer.append(rect);
      };
      for (const line of this.$refs.defects.value.split("\n")) {
        const cells = line.split(/[,;]/);
        if (cells.length === 5) add(cells.slice(1).map((c) => (/^\s*[\d.]+\s*(mm)?\s*$/.test(c) ? parseFloat(c) : NaN)), cells[0]);
      }
      if (draft) add(draft, null);
    },
  };
}

// Long work is asked for until it is done; then its answer is opened.
function longWork() {
  return {
    says: "working",
    init() { if (this.$refs.bar) this.ask(); },
    async ask() {
      try {
        const answer = await fetch(this.$root.dataset.state);
        if (!answer.ok) throw new Error(String(answer.status));
        const state = await answer.json();
        this.$refs.bar.value = state.share;
        this.says = state.failed || state.says || "working";
        if (state.location) { location.replace(state.location); return; }
        if (state.failed) { location.reload(); return; }
      } catch { this.says = "the yard’s server does not answer; the work goes on there"; }
      setTimeout(() => this.ask(), 300);
    },
  };
}

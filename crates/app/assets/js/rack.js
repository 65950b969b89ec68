// The rack in the browser: defects dragged onto a board, and long work that is waited for.
"use strict";

document.addEventListener("alpine:init", () => {
  Alpine.data("boardDefects", boardDefects);
  Alpine.data("longWork", longWork);
  Alpine.data("racked", () => ({ ...benchTools, ...racked }));
});

// How long a finger rests on a piece before it is taken hold of, ms.
const RESTS = 350;

// A piece drawn over the boards of the rack: each says how it serves while it is held, and keeps it where it is let go.
const racked = {
  init() {
    this.boards = [...this.$root.querySelectorAll("[data-board]")];
    for (const board of this.boards) board.words = board.querySelector(".rack-words").textContent;
    this.$root.addEventListener("pointerdown", (event) => this.take(event));
    this.$root.addEventListener("pointermove", (event) => this.carry(event));
    this.$root.addEventListener("pointerup", (event) => this.lay(event));
    this.$root.addEventListener("pointercancel", () => this.letGo());
    // A finger scrolls; what it rests on for a moment is taken hold of, and is not scrolled.
    this.$root.addEventListener("touchmove", (event) => { if (this.held && this.held.mark) event.preventDefault(); }, { passive: false });
    this.$root.addEventListener("contextmenu", (event) => { if (this.held) event.preventDefault(); });
    // What was carried is not also followed.
    this.$root.addEventListener("click", (event) => { if (this.carried) event.preventDefault(); this.carried = false; }, true);
    document.addEventListener("keydown", (event) => { if (event.key === "Escape") this.letGo(); });
  },
  take(event) {
    const piece = event.target.closest("[data-piece]");
    if (!piece || event.button !== 0 || !this.$refs.move) return;
    this.carried = false;
    const chip = this.$root.querySelector(`.chip[data-piece="${piece.dataset.piece}"]`);
    this.held = { id: piece.dataset.piece, at: [event.clientX, event.clientY], chip: chip || piece, drawn: piece !== chip, fits: null, told: null };
    if (event.pointerType === "touch") this.held.resting = setTimeout(() => this.lift(this.held, event), RESTS);
  },
  // From now on it is carried.
  lift(held, event) {
    if (!held || held.mark) return;
    held.mark = document.createElement("div");
    held.mark.className = "carried";
    held.mark.textContent = held.chip.querySelector("b").textContent;
    document.body.append(held.mark);
    this.$root.classList.add("carrying");
    this.$root.setPointerCapture(event.pointerId);
    held.told = this.ask(held);
    this.follow(held, event);
  },
  follow(held, event) {
    held.mark.style.left = `${event.clientX}px`;
    held.mark.style.top = `${event.clientY}px`;
    for (const board of this.boards) board.classList.toggle("under", board === this.under(event));
  },
  carry(event) {
    const held = this.held;
    if (!held) return;
    if (held.mark) return this.follow(held, event);
    if (Math.hypot(event.clientX - held.at[0], event.clientY - held.at[1]) <= 8) return;
    if (held.resting) this.letGo();
    else this.lift(held, event);
  },
  // What the rules say of every board.
  async ask(held) {
    const answer = await fetch(`/boats/${this.$root.dataset.boat}/timber/fits/${held.id}`).catch(() => null);
    if (!answer || !answer.ok || this.held !== held) return;
    held.fits = await answer.json();
    for (const board of this.boards) {
      const [serves, words] = held.fits[board.dataset.board] || [false, `✕ ${board.words}`];
      board.classList.toggle("may", serves);
      board.classList.toggle("may-not", !serves);
      board.querySelector(".rack-words").textContent = words;
    }
  },
  under(event, what = "[data-board]") {
    const there = document.elementFromPoint(event.clientX, event.clientY);
    return there && there.closest(what);
  },
  async lay(event) {
    const held = this.held;
    if (!held) return;
    if (!held.mark) {
      if (held.drawn) location.assign(held.chip.href);
      this.letGo();
      return;
    }
    this.carried = true;
    const [board, tray] = [this.under(event), this.under(event, "[data-tray]")];
    // The answer may be later than the hand.
    await held.told;
    const serves = board && held.fits && (held.fits[board.dataset.board] || [false])[0];
    const words = board && board.querySelector(".rack-words").textContent;
    this.letGo();
    // Let go where it lay.
    if (board && board.dataset.tag === held.chip.dataset.on) return;
    if (serves) return this.send(held.id, "reserve", board.dataset.board);
    if (tray && held.drawn) return this.send(held.id, "give-back", "");
    if (board) this.$refs.says.textContent = `${board.dataset.tag}: ${words}`;
  },
  send(piece, what, board) {
    this.$refs.board.value = board;
    this.$refs.move.action = `/boats/${this.$root.dataset.boat}/pieces/${piece}/${what}`;
    this.$refs.move.submit();
  },
  letGo() {
    if (this.held) clearTimeout(this.held.resting);
    if (this.held && this.held.mark) this.held.mark.remove();
    this.held = null;
    this.$root.classList.remove("carrying");
    for (const board of this.boards) {
      board.classList.remove("may", "may-not", "under");
      board.querySelector(".rack-words").textContent = board.words;
    }
  },
};

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

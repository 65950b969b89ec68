// Crossings of a region walked through on the page, also without signal, and old holes tapped on a drawing.
"use strict";

document.addEventListener("alpine:init", () => { Alpine.data("crossingWalk", crossingWalk); });

function crossingWalk() {
  return {
    init() {
      document.addEventListener("click", (event) => this.go(event));
      for (const one of this.$root.querySelectorAll(".crossing-one")) this.holes(one);
    },
    // A crossing that is on the page is shown; any other is asked for.
    go(event) {
      const link = event.target.closest("a[data-crossing]");
      const one = link && document.getElementById(link.dataset.crossing);
      if (!one || event.ctrlKey || event.metaKey || event.shiftKey) return;
      event.preventDefault();
      for (const other of this.$root.querySelectorAll(".crossing-one")) other.hidden = other !== one;
      for (const cell of document.querySelectorAll(".crossing-cell.here")) cell.classList.remove("here");
      const cell = document.querySelector(`.region-map a[data-crossing="${link.dataset.crossing}"] .crossing-cell`);
      if (cell) cell.classList.add("here");
      this.$root.scrollIntoView({ block: "start", behavior: "instant" });
    },
    holes(one) {
      const [svg, text] = [one.querySelector(".crossing-drawing"), one.querySelector("[name=holes]")];
      if (!svg || !text) return;
      svg.addEventListener("click", (event) => {
        const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
        const { middle, foot, width, diameter } = svg.dataset;
        const [x, y] = [Math.round(p.x - Number(middle)), Math.round(Number(foot) - p.y)];
        if (y < 0 || y > Number(width)) return;
        text.value = `${text.value.trimEnd()}\n${x} mm, ${y} mm, ${diameter} mm`.trimStart();
        text.closest("details").open = true;
        const mark = document.createElementNS(SVG_NS, "circle");
        for (const [name, value] of Object.entries({ class: "old-hole recorded", cx: p.x, cy: p.y, r: Number(diameter) / 2 + 1 })) mark.setAttribute(name, value);
        svg.append(mark);
      });
    },
  };
}

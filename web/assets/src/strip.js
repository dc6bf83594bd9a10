// The depth strip: a logarithmic ruler from the lens to beyond the far plane.
import { make } from "./plan.js";

export class Strip {
  __v_skip = true; // not watched by the page's store

  constructor(svg, v) {
    this.svg = svg; this.v = v;
    svg.addEventListener("pointerdown", (e) => this.press(e));
    svg.addEventListener("keydown", (e) => this.key(e));
  }
  get lo() { return Math.min(0.1, this.v.now.set.view.near); }
  get hi() { return Math.max(100, this.v.now.lens.reach * 1.6, this.v.now.set.view.far * 1.4); }
  x(m) { return 16 + (this.w - 32) * (Math.log(Math.max(m, this.lo) / this.lo) / Math.log(this.hi / this.lo)); }
  metres(x) { return this.lo * Math.exp(((x - 16) / (this.w - 32)) * Math.log(this.hi / this.lo)); }
  // bars are what is drawn: what lies in the picture, is cut or selected, each
  // by itself; copies of one piece, when there are many, as one bar.
  bars() {
    const out = [], many = new Map();
    for (const b of this.v.now.bars) {
      const on = this.v.sel.includes(b.id);
      if (!b.span.seen && !b.cut && !on) continue;
      const piece = on || b.cut ? "" : this.v.placement(b.id)?.piece;
      if (!piece) out.push(b);
      else many.set(piece, [...(many.get(piece) || []), b]);
    }
    for (const [piece, list] of many) {
      if (list.length < 5) { out.push(...list); continue; }
      const span = { ...list[0].span };
      for (const b of list) { span.near = Math.min(span.near, b.span.near); span.far = Math.max(span.far, b.span.far); span.height = Math.max(span.height, b.span.height); }
      out.push({ id: list[0].id, name: `${this.v.now.pieces.find((p) => p.id === piece)?.name}, ${list.length}`, span, cut: false, list });
    }
    return out;
  }
  draw() {
    const st = this.v.now, box = this.svg.getBoundingClientRect(), s = this.svg;
    this.w = box.width; this.h = box.height;
    if (!st || this.w < 2) return;
    const view = st.set.view, base = this.h - 22, top = 34, line = "var(--line)", soft = "var(--soft)", ink = "var(--ink)";
    const held = document.activeElement?.dataset?.handle;
    s.replaceChildren();
    const defs = make("defs"), hatch = make("pattern", { id: "hatch", width: 6, height: 6, patternUnits: "userSpaceOnUse", patternTransform: "rotate(45)" });
    hatch.append(make("rect", { width: 6, height: 6, fill: "var(--field)" }), make("line", { x1: 0, y1: 0, x2: 0, y2: 6, stroke: "var(--snag)", "stroke-width": 3 }));
    defs.append(hatch); s.append(defs);
    const sharpFar = st.lens.sharpFar ?? this.hi;
    s.append(make("rect", { x: this.x(st.lens.sharpNear), width: Math.max(this.x(sharpFar) - this.x(st.lens.sharpNear), 1), y: top, height: base - top, fill: "#d6e935", "fill-opacity": 0.16 }));
    s.append(make("line", { x1: 16, x2: this.w - 16, y1: base, y2: base, stroke: soft }));
    const feet = this.v.feet, one = feet ? 0.3048 : 1;
    for (let d = Math.pow(10, Math.floor(Math.log10(this.lo / one))); d * one <= this.hi; d *= 10)
      for (const k of [1, 2, 5]) {
        const m = d * k * one, x = this.x(m);
        if (m < this.lo || m > this.hi) continue;
        s.append(make("line", { x1: x, x2: x, y1: base, y2: base + (k === 1 ? 7 : 4), stroke: soft }));
        s.append(make("text", { x, y: this.h - 3, "text-anchor": "middle", "font-size": 11, class: "n", fill: k === 1 ? ink : soft }, feet ? `${+(d * k).toFixed(3)}${k === 1 ? " ft" : ""}` : m >= 1000 ? m / 1000 + " km" : k === 1 ? m + " m" : m));
      }
    let labelled = [];
    for (const b of this.bars().sort((p, q) => q.span.height - p.span.height)) {
      const x = this.x(b.span.near), w = Math.max(this.x(b.span.far) - x, 3), h = Math.max(b.span.height * (base - top - 12), 4), on = this.v.sel.includes(b.id);
      const g = make("g", { "data-bar": b.id, style: "cursor:pointer" });
      g.append(make("title", {}, `${b.name}: ${this.v.distance(b.span.near)} to ${this.v.distance(b.span.far)}${b.cut ? ", cut by a plane" : b.span.seen ? "" : ", outside of the picture"}`));
      g.append(make("rect", { x, y: base - h, width: w, height: h, fill: b.cut ? "url(#hatch)" : on ? "#d6e935" : "#8a8a8a", "fill-opacity": b.span.seen ? (on ? 0.9 : 0.5) : 0.15, stroke: b.cut ? "var(--snag)" : b.span.seen ? soft : line, "stroke-width": 1 }));
      s.append(g);
      const lx = Math.min(x + 2, this.w - 90);
      if (b.span.seen && (on || (h > 16 && labelled.every((q) => Math.abs(q - lx) > 76)))) {
        labelled.push(lx);
        s.append(make("text", { x: lx, y: Math.max(base - h - 4, top + 8), "font-size": 11, fill: on ? "var(--color-act)" : ink, style: "pointer-events:none", stroke: "var(--sheet)", "stroke-width": 3, "paint-order": "stroke" }, b.name));
      }
    }
    const cut = st.bars.filter((b) => b.cut).length;
    if (cut) s.append(make("text", { x: this.w - 20, y: top + 12, "text-anchor": "end", "font-size": 12, fill: "var(--snag)" }, `${cut} cut by a plane`));
    this.handle("near", view.near, "near", ink); this.handle("far", view.far, "far", ink); this.handle("focus", view.focus, "focus", "#d6e935");
    if (held) s.querySelector(`[data-handle=${held}]`)?.focus();
  }
  handle(name, m, text, colour) {
    const x = this.x(m), right = x > this.w - 120 || name === "near", label = `${text} ${this.v.distance(m)}`, w = label.length * 7.2 + 10, y = name === "focus" ? 18 : 0;
    const g = make("g", { "data-handle": name, tabindex: 0, role: "slider", "aria-label": `${text} ${name === "focus" ? "distance" : "plane"}`, "aria-valuenow": m.toFixed(3), "aria-valuetext": this.v.distance(m), style: "cursor:ew-resize" });
    g.append(make("line", { x1: x, x2: x, y1: y, y2: this.h - 22, stroke: colour, "stroke-width": name === "focus" ? 1.5 : 2, "stroke-dasharray": name === "focus" ? "5 4" : null }));
    g.append(make("rect", { x: right ? Math.max(x - w, 0) : x, y, width: w, height: 17, fill: colour }));
    g.append(make("text", { x: (right ? Math.max(x - w, 0) : x) + 5, y: y + 13, "font-size": 12, class: "n", fill: name === "focus" ? "#111" : "var(--desk)" }, label));
    g.append(make("rect", { x: x - 6, y, width: 12, height: this.h - 22 - y, fill: "transparent" }));
    this.svg.append(g);
  }
  set(name, m) {
    const v = this.v.st.set.view, k = { near: "near", far: "far", focus: "focus" }[name];
    if (name === "near") m = Math.min(m, v.far * 0.98);
    if (name === "far") m = Math.max(m, v.near * 1.02);
    return { [k]: Math.min(Math.max(m, 0.001), 1e7) };
  }
  key(e) {
    const name = e.target.dataset?.handle, k = { ArrowRight: 1.02, ArrowUp: 1.02, ArrowLeft: 1 / 1.02, ArrowDown: 1 / 1.02, PageUp: 1.2, PageDown: 1 / 1.2 }[e.key];
    if (!name || !k) return;
    e.preventDefault(); e.stopPropagation();
    this.v.view(this.set(name, this.v.st.set.view[name] * k));
  }
  press(e) {
    const bar = e.target.closest("[data-bar]"), handle = e.target.closest("[data-handle]");
    if (!handle) return bar ? this.v.select(bar.dataset.bar, e.shiftKey) : undefined;
    const name = handle.dataset.handle, view = this.v.st.set.view, kept = view[name], left = this.svg.getBoundingClientRect().left;
    handle.focus();
    this.svg.setPointerCapture(e.pointerId);
    const move = (m) => { Object.assign(view, this.set(name, this.metres(m.clientX - left))); this.draw(); };
    const up = () => {
      this.svg.removeEventListener("pointermove", move); this.svg.removeEventListener("pointerup", up);
      const to = view[name]; view[name] = kept;
      if (to !== kept) this.v.view({ [name]: to });
    };
    this.svg.addEventListener("pointermove", move); this.svg.addEventListener("pointerup", up);
  }
}

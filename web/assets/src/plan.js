// The plan: the set from above as a scaled drawing, X to the right, Z down.
// Metres are the drawing's own unit; the view box does the scale.
import { Tools } from "./tools.js";
import { make } from "./svg.js";
import { drawElement, handles } from "./elements.js";
import { drawing } from "./planmarks.js";
import { handled } from "./planhand.js";
import { stores } from "./stores.js";

const deg = 180 / Math.PI;

// Sheet is the paper: its scale, its grid, and when it is drawn.
class Sheet {
  __v_skip = true; // not watched by the page's store

  constructor(svg, v) {
    this.svg = svg;
    this.v = v;
    this.shapes = new Map();
    this.defs = make("defs");
    this.x = 0;
    this.z = 0;
    this.px = 40; // middle of the drawing in metres, pixels a metre
    this.grounds = make("g");
    this.over = make("g");
    this.nodes = new Map();
    this.tools = new Tools(this, v);
    svg.addEventListener("wheel", (e) => this.zoom(e), { passive: false });
    svg.addEventListener("pointerdown", (e) => this.tools.press(e) || this.press(e));
    svg.addEventListener("pointermove", (e) => {
      this.tools.hover(e);
      if (!e.buttons && !stores.dress.tool) stores.film.setHover(e.target.closest("[data-id]")?.dataset.id || "");
    });
    svg.addEventListener("pointerleave", () => stores.film.setHover(""));
    svg.addEventListener("dblclick", (e) => this.tools.finish(e));
    svg.addEventListener("keydown", (e) => this.tools.key(e));
    svg.addEventListener("dragover", (e) => e.preventDefault());
    svg.addEventListener("drop", (e) => {
      e.preventDefault();
      if (stores.dress.inHand) return stores.dress.drawn("lamp", [this.at(e)], null);
      const piece = e.dataTransfer.getData("piece");
      if (piece) stores.dress.place(piece, "", this.at(e), true);
    });
  }
  size() {
    const r = this.svg.getBoundingClientRect();
    return [r.width || 1, r.height || 1, r];
  }
  // at is the place on the ground under the pointer.
  at(e) {
    const [w, h, r] = this.size();
    return {
      x: this.x + (e.clientX - r.left - w / 2) / this.px,
      y: 0,
      z: this.z + (e.clientY - r.top - h / 2) / this.px,
    };
  }
  middle() {
    return { x: this.grid(this.x), y: 0, z: this.grid(this.z) };
  }
  step() {
    return [0.01, 0.05, 0.1, 0.5, 1, 5, 10, 50, 100].find((s) => s * this.px >= 6) || 100;
  }
  grid(n) {
    if (!this.v.snapOn) return n;
    const s = this.step();
    return Math.round(n / s) * s;
  }
  // attract brings a number to the nearest whole step when it lies within a few pixels of
  // it; px is how many of them one is long there.
  attract(n, step, px = this.px) {
    const to = Math.round(n / step) * step;
    return Math.abs(to - n) * px < 5 ? to : n;
  }
  // turned is a turn by what the hand went about a thing, from one direction to another, so
  // many pixels from it, and what is said of it.
  turned(yaw, from, to, px, free) {
    const a = yaw + Math.atan2(Math.sin(to - from), Math.cos(to - from)),
      s = free || !this.v.snapOn ? a : this.attract(a, Math.PI / 12, px);
    return [s, `${this.v.number(s * deg, 1)}°${s !== a ? ", a whole 15°" : ""}`];
  }
  // grown scales a thing from what it was, and tells what is said of it: steps of five in a
  // hundred; px is how many pixels a doubling takes.
  grown(p, scale, dims, k, px, free) {
    const s = free || !this.v.snapOn ? k : Math.max(this.attract(k, 0.05, px), 0.05);
    for (const a of "xyz") {
      p.scale[a] = scale[a] * Math.max(s, 0.01);
      p.dims[a] = dims[a] * Math.max(s, 0.01);
    }
    return `× ${this.v.number(s, 2)}${s !== k ? ", a whole 5 %" : ""}`;
  }
  // drawn is a place on the plan that is brought to lines of the grid nearby, and says so.
  drawn(at, free) {
    if (free || !this.v.snapOn) {
      this.tip = "";
      return at;
    }
    const s = this.step(),
      x = this.attract(at.x, s),
      z = this.attract(at.z, s);
    this.tip = x !== at.x || z !== at.z ? `on the grid of ${this.v.length(s)}` : "";
    return { ...at, x, z };
  }
  zoom(e) {
    e.preventDefault();
    const before = this.at(e);
    this.px = Math.min(Math.max(this.px * Math.exp(-e.deltaY * 0.0015), 0.004), 4000);
    const after = this.at(e);
    this.x += before.x - after.x;
    this.z += before.z - after.z;
    this.touched = true;
    this.draw();
  }
  // center brings the camera and what stands near it onto the sheet, until
  // the artist has moved the drawing by hand.
  center() {
    if (this.touched || !this.v.now) return;
    const [w, h] = this.size(),
      eye = this.v.now.set.view.eye;
    let reach = 6;
    for (const p of this.v.now.placements) {
      const d = Math.hypot(p.at.x - eye.x, p.at.z - eye.z);
      if (d < 30 && Math.max(p.dims.x, p.dims.z) < 30) reach = Math.max(reach, d);
    }
    const f = this.v.now.lens.forward;
    this.x = eye.x + f.x * reach * 0.5;
    this.z = eye.z + f.z * reach * 0.5;
    this.px = Math.min(w, h) / (reach * 1.5);
  }
  all() {
    const st = this.v.now,
      b = [Infinity, Infinity, -Infinity, -Infinity];
    const put = (x, z, r) => {
      b[0] = Math.min(b[0], x - r);
      b[1] = Math.min(b[1], z - r);
      b[2] = Math.max(b[2], x + r);
      b[3] = Math.max(b[3], z + r);
    };
    for (const p of st.placements) if (stores.dress.visible(p)) put(p.at.x, p.at.z, Math.max(p.dims.x, p.dims.z) / 2);
    for (const e of st.elements)
      if (stores.dress.visible(e)) {
        for (const p of handles(e)) put(p.x, p.z, 0.5);
        if (e.kind === "ground") put(e.spec.middle.x, e.spec.middle.z, Math.max(e.spec.width, e.spec.depth) / 2);
      }
    if (b[0] > b[2]) return;
    const [w, h] = this.size(),
      top = 70; // pixels under the row of tools
    this.px = 0.9 * Math.min(w / (b[2] - b[0]), (h - top) / (b[3] - b[1]));
    this.x = (b[0] + b[2]) / 2;
    this.z = (b[1] + b[3]) / 2 - top / 2 / this.px;
    this.touched = true;
    this.draw();
  }
  // draw makes the whole sheet anew: what lies beneath, the things, and over
  // them what belongs to the hand: marks, names, dimensions.
  draw() {
    const st = this.v.now,
      [w, h] = this.size();
    if (!st || w < 2) return;
    if (!this.centered) {
      this.center();
      this.centered = true;
    }
    const s = this.svg,
      px = this.px;
    s.setAttribute("viewBox", `${-w / 2} ${-h / 2} ${w} ${h}`);
    const world = make("g", { transform: `scale(${px}) translate(${-this.x} ${-this.z})` });
    this.world = world;
    this.grounds.replaceChildren();
    this.lines(w, h);
    s.replaceChildren(this.defs, this.grounds, world, this.over);
    this.nodes.clear();
    // Lamps lie over all that they light.
    const drawn = st.elements.filter((e) => stores.dress.visible(e)),
      lamps = drawn.filter((e) => e.kind === "lamp");
    for (const e of drawn) if (e.kind !== "lamp") drawElement(this, world, e);
    this.order = st.placements
      .filter((p) => (stores.dress.visible(p) || (stores.dress.overlay && p.standIn)) && this.near(p, w, h))
      .sort((a, b) => b.dims.x * b.dims.z - a.dims.x * a.dims.z);
    for (const p of this.order) {
      const g = this.footprint(p);
      this.nodes.set(p.id, g);
      world.append(g);
    }
    for (const e of lamps) drawElement(this, world, e);
    this.overlay();
  }
  // What the parts of the plan do: the hand in planhand.js, what is drawn in planmarks.js.
  press(/** @type {PointerEvent} */ _e) {}
  lines(_w, _h) {}
  near(_p, _w, _h) {
    return true;
  }
  footprint(_p) {
    return make("g");
  }
  stand(_p) {
    return "";
  }
  overlay() {}
  // shift moves the drawing of one thing that is in the hand.
  shift(p) {
    this.nodes.get(p.id)?.setAttribute("transform", this.stand(p));
  }
  screen(x, z) {
    return [(x - this.x) * this.px, (z - this.z) * this.px];
  }
}

// Plan is the sheet with what stands on it and what the hand does there.
export const Plan = /** @type {any} */ (handled(drawing(Sheet)));

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
    this.nodes = new Map(); // of things, by their IDs
    this.kept = new Map(); // footprints that were drawn before, with what they show
    this.laid = new Map(); // what elements lay, as it was drawn, by their IDs
    this.pieces = new Map();
    this.world = make("g");
    this.below = make("g");
    this.specks = make("path", { fill: "#9b9b9b", style: "pointer-events:none", "data-specks": "" });
    this.things = make("g");
    this.above = make("g");
    this.world.append(this.below, this.specks, this.things, this.above);
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
    this.soon();
  }
  // soon draws once before the next picture of the page, however often it is asked: where the sheet was only moved, and
  // not farther than what is drawn about it, that is moved along.
  soon() {
    this.asked ||= requestAnimationFrame(() => {
      this.asked = 0;
      const b = this.base,
        [w, h] = this.size();
      if (
        b?.px !== this.px ||
        b.st !== this.v.now ||
        b.w !== w ||
        b.h !== h ||
        Math.abs(this.x - b.x) * this.px > w / 2 ||
        Math.abs(this.z - b.z) * this.px > h / 2
      )
        return this.draw();
      this.carry(w, h);
      this.overlay();
    });
  }
  // carry brings what is drawn to where the sheet is now.
  carry(w, h) {
    this.world.setAttribute("transform", `scale(${this.px}) translate(${-this.x} ${-this.z})`);
    this.grounds.replaceChildren();
    this.lines(w, h);
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
    const s = this.svg;
    s.setAttribute("viewBox", `${-w / 2} ${-h / 2} ${w} ${h}`);
    this.base = { x: this.x, z: this.z, px: this.px, st, w, h };
    this.carry(w, h);
    if (this.over.parentNode !== s) s.replaceChildren(this.defs, this.grounds, this.world, this.over);
    if (this.listed !== st.pieces) {
      this.listed = st.pieces;
      this.pieces = new Map(st.pieces.map((p) => [p.id, p]));
    }
    // Lamps lie over all that they light.
    this.below.replaceChildren();
    this.above.replaceChildren();
    for (const e of st.elements)
      if (stores.dress.visible(e)) drawElement(this, e.kind === "lamp" ? this.above : this.below, e);
    this.footprints(st, w, h);
    this.overlay();
  }
  // footprints draws the things, each as it was drawn before where nothing of it is another: a plan of thousands is
  // turned to and fro. What is smaller than a few pixels is a speck, and nothing by itself.
  footprints(st, w, h) {
    const seen = stores.dress.sight(),
      sel = new Set(this.v.sel),
      hover = this.v.hover;
    this.order = st.placements
      .filter((p) => (seen(p) || (stores.dress.overlay && p.standIn)) && this.near(p, 2 * w, 2 * h))
      .sort((a, b) => b.dims.x * b.dims.z - a.dims.x * a.dims.z);
    const list = [],
      specks = [],
      speck = 1.5 / this.px;
    this.nodes.clear();
    for (const p of this.order) {
      const long = Math.max(p.dims.x, p.dims.z);
      if (long * this.px < 4 && !sel.has(p.id) && p.id !== hover) {
        const d = Math.max(long, speck);
        specks.push(`M${(p.at.x - d / 2).toFixed(3)} ${(p.at.z - d / 2).toFixed(3)}h${d}v${d}h${-d}z`);
        continue;
      }
      const g = this.drawnBefore(p, !seen(p), sel.has(p.id));
      this.nodes.set(p.id, g);
      list.push(g);
    }
    this.specks.setAttribute("d", specks.join(""));
    const now = this.things.children;
    if (now.length !== list.length || list.some((g, i) => now[i] !== g)) this.things.replaceChildren(...list);
    if (this.kept.size > 2 * list.length + 1000)
      for (const id of this.kept.keys()) if (!this.nodes.has(id)) this.kept.delete(id);
  }
  // drawnBefore is the footprint of a thing, made anew where it is another.
  drawnBefore(p, hidden, on) {
    const o = this.outline(p),
      look = {
        faint: p.hidden || hidden,
        locked: stores.dress.locked(p),
        on,
        rough: Math.max(p.dims.x, p.dims.z) * this.px < 12 && !p.standIn,
        o,
      },
      said = [
        this.stand(p),
        p.scale.x,
        p.scale.z,
        p.dims.x,
        p.dims.z,
        look.faint,
        look.locked,
        on,
        look.rough,
        o.move,
        this.shape(p, o),
      ].join();
    const was = this.kept.get(p.id);
    if (was?.said === said) return was.g;
    const g = this.footprint(p, look);
    this.kept.set(p.id, { said, g });
    return g;
  }
  // What the parts of the plan do: the hand in planhand.js, what is drawn in planmarks.js.
  press(/** @type {PointerEvent} */ _e) {}
  lines(_w, _h) {}
  near(_p, _w, _h) {
    return true;
  }
  footprint(_p, _look) {
    return make("g");
  }
  outline(_p) {
    return {};
  }
  shape(_p, _o) {
    return "";
  }
  stand(_p) {
    return "";
  }
  overlay() {}
  // shift moves the drawing of one thing that is in the hand.
  shift(p) {
    this.kept.delete(p.id); // it is drawn anew when it is let go
    this.nodes.get(p.id)?.setAttribute("transform", this.stand(p));
  }
  screen(x, z) {
    return [(x - this.x) * this.px, (z - this.z) * this.px];
  }
}

// Plan is the sheet with what stands on it and what the hand does there.
export const Plan = /** @type {any} */ (handled(drawing(Sheet)));

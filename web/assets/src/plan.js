// The plan: the set from above as a scaled drawing, X to the right, Z down.
// Metres are the drawing's own unit; the view box does the scale.
import { Tools } from "./tools.js";
import { make } from "./svg.js";
import { pull } from "./drag.js";
import { drawElement, handles, setHandle, drawnBy } from "./elements.js";

const deg = 180 / Math.PI;
const halo = { stroke: "#cbcbcb", "stroke-width": 4, "paint-order": "stroke" };

export class Plan {
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
      if (!e.buttons && !v.tool) v.setHover(e.target.closest("[data-id]")?.dataset.id || "");
    });
    svg.addEventListener("pointerleave", () => v.setHover(""));
    svg.addEventListener("dblclick", (e) => this.tools.finish(e));
    svg.addEventListener("keydown", (e) => this.tools.key(e));
    svg.addEventListener("dragover", (e) => e.preventDefault());
    svg.addEventListener("drop", (e) => {
      e.preventDefault();
      const piece = e.dataTransfer.getData("piece");
      if (piece) v.place(piece, "", this.at(e), true);
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
    for (const p of st.placements) if (this.v.visible(p)) put(p.at.x, p.at.z, Math.max(p.dims.x, p.dims.z) / 2);
    for (const e of st.elements)
      if (this.v.visible(e)) {
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
    for (const e of st.elements) if (this.v.visible(e)) drawElement(this, world, e);
    this.order = st.placements
      .filter((p) => (this.v.visible(p) || (this.v.overlay && p.standIn)) && this.near(p, w, h))
      .sort((a, b) => b.dims.x * b.dims.z - a.dims.x * a.dims.z);
    for (const p of this.order) {
      const g = this.footprint(p);
      this.nodes.set(p.id, g);
      world.append(g);
    }
    this.overlay();
  }
  // overlay draws again what goes along with the hand, and nothing else.
  overlay() {
    const st = this.v.now,
      [w, h] = this.size(),
      all = make("g", { transform: `scale(${this.px}) translate(${-this.x} ${-this.z})` });
    this.over.replaceChildren(all);
    this.camera(st, all);
    this.traces(all);
    this.sun(st, w, h);
    this.labels = [];
    for (const p of this.order) this.label(p);
    for (const id of this.v.sel) {
      const p = this.v.placement(id);
      if (p) this.brackets(p);
      else this.elementMarks(id);
    }
    this.marks(st);
    this.tools.draw(this.over);
    this.scale(w, h);
    this.mark();
    if (this.tip && this.tipAt) {
      const [x, y] = this.screen(this.tipAt.x, this.tipAt.z);
      this.over.append(
        make(
          "text",
          { x: x + 14, y: y - 12, "font-size": 12, class: "n", fill: "#161616", "data-tip": "", ...halo },
          this.tip,
        ),
      );
    }
  }
  // mark shows what the pointer is over, wherever that is.
  mark() {
    this.over.querySelector("[data-hover]")?.remove();
    const p = this.v.hover && this.v.now.placements.find((q) => q.id === this.v.hover);
    if (!p) return;
    const [x, y] = this.screen(p.at.x, p.at.z),
      w = p.dims.x * this.px + 8,
      h = p.dims.z * this.px + 8;
    const g = make("g", {
      transform: `translate(${x} ${y}) rotate(${-p.yaw * deg})`,
      "data-hover": p.id,
      style: "pointer-events:none",
    });
    g.append(
      make("rect", {
        x: -w / 2,
        y: -h / 2,
        width: w,
        height: h,
        fill: "none",
        stroke: "#161616",
        "stroke-width": 1.5,
        "stroke-dasharray": "2 2",
      }),
    );
    this.over.append(g);
  }
  // traces are the camera at moments of its move, the rail, and what rides.
  traces(world) {
    const fr = this.v.raw,
      m = this.v.now.set.move;
    if (!this.v.on("frame light") || !m) return;
    const line = {
      fill: "none",
      stroke: "#161616",
      "vector-effect": "non-scaling-stroke",
      style: "pointer-events:none",
    };
    const list = fr.move?.traces || [];
    if (list.length)
      world.append(
        make("path", {
          ...line,
          d: "M" + list.map((t) => `${t.eye.x},${t.eye.z}`).join("L"),
          "stroke-width": 1.5,
          "data-trace": "",
        }),
      );
    list.forEach((t, i) => {
      if (i % 3) return;
      const r = 16 / this.px,
        at = (a) => `${t.eye.x - Math.sin(t.yaw + a) * r},${t.eye.z - Math.cos(t.yaw + a) * r}`;
      world.append(
        make("path", {
          ...line,
          d: `M${at(t.half)}L${t.eye.x},${t.eye.z}L${at(-t.half)}`,
          "stroke-opacity": 0.25 + (0.5 * i) / list.length,
          "stroke-width": 1,
        }),
      );
    });
    for (const r of m.rides || [])
      world.append(
        make("path", {
          ...line,
          d: "M" + r.points.map((p) => `${p.x},${p.z}`).join("L"),
          "stroke-dasharray": "6 4",
          "stroke-width": 1.5,
          "data-way": "",
        }),
      );
    for (const c of this.v.tab === "paper" ? this.v.room.rows || [] : [])
      if (c.best)
        for (const cell of c.cells || [])
          world.append(
            make("rect", {
              x: cell.x - c.cell / 2,
              y: cell.z - c.cell / 2,
              width: c.cell,
              height: c.cell,
              fill: "#161616",
              "fill-opacity": 0.08,
              style: "pointer-events:none",
            }),
          );
  }
  // shift moves the drawing of one thing that is in the hand.
  shift(p) {
    this.nodes.get(p.id)?.setAttribute("transform", this.stand(p));
  }
  stand(p) {
    return `translate(${p.at.x} ${p.at.z}) rotate(${-p.yaw * deg})`;
  }
  // marks are the snags that are somewhere, as a triangle each.
  marks(st) {
    for (const s of st.snags) {
      if (!s.at || !s.key) continue;
      const [x, y] = this.screen(s.at.x, s.at.z),
        on = this.v.snag === s.key;
      const g = make("g", { transform: `translate(${x} ${y})`, "data-snag": s.key, style: "cursor:pointer" });
      g.append(
        make("path", { d: "M0 -9L8 5H-8Z", fill: on ? "#a82508" : "#cbcbcb", stroke: "#a82508", "stroke-width": 2 }),
        make("title", {}, s.what),
      );
      if (on)
        g.append(
          make(
            "text",
            { y: 22, "text-anchor": "middle", "font-size": 12, class: "n", fill: "#a82508", ...halo },
            this.v.snagNumber(s),
          ),
        );
      this.over.append(g);
    }
  }
  // elementMarks show which element is selected: its drawn points can be pulled.
  elementMarks(id) {
    const e = this.v.now.elements.find((x) => x.id === id);
    if (!e) return;
    handles(e).forEach((p, i) => {
      const [x, y] = this.screen(p.x, p.z);
      const g = make("g", {
        transform: `translate(${x} ${y})`,
        "data-point": `${id} ${i}`,
        style: e.locked ? "" : "cursor:move",
      });
      g.append(
        make("rect", {
          x: -5,
          y: -5,
          width: 10,
          height: 10,
          fill: "#d6e935",
          stroke: "#161616",
          "stroke-width": 1.5,
        }),
        make("rect", { x: -11, y: -11, width: 22, height: 22, fill: "transparent" }),
      );
      this.over.append(g);
    });
    const p = handles(e)[0];
    if (p) {
      const [x, y] = this.screen(p.x, p.z);
      this.over.append(
        make(
          "text",
          { x: x + 12, y: y - 10, "font-size": 12, fill: "#161616", ...halo, style: "pointer-events:none" },
          `${e.name}: ${e.error || e.said || (e.laying ? "being laid out" : "")}`,
        ),
      );
    }
  }
  // near says whether some of a thing may lie on the sheet.
  near(p, w, h) {
    const far = Math.hypot(
      Math.max(-p.box.min.x, p.box.max.x) * p.scale.x,
      Math.max(-p.box.min.z, p.box.max.z) * p.scale.z,
    );
    return Math.abs(p.at.x - this.x) - far < w / 2 / this.px && Math.abs(p.at.z - this.z) - far < h / 2 / this.px;
  }
  lines(w, h) {
    const g = make("g", { stroke: "#b4b4b4", "stroke-width": 1 });
    const every = [0.1, 0.5, 1, 5, 10, 50, 100, 500, 1000, 5000].find((k) => k * this.px >= 56) || 10000;
    for (let x = Math.ceil((this.x - w / 2 / this.px) / every) * every; x < this.x + w / 2 / this.px; x += every)
      g.append(make("line", { x1: (x - this.x) * this.px, x2: (x - this.x) * this.px, y1: -h / 2, y2: h / 2 }));
    for (let z = Math.ceil((this.z - h / 2 / this.px) / every) * every; z < this.z + h / 2 / this.px; z += every)
      g.append(make("line", { y1: (z - this.z) * this.px, y2: (z - this.z) * this.px, x1: -w / 2, x2: w / 2 }));
    this.grounds.append(g);
  }
  // outline is the path and the transform of a placement from above.
  outline(p) {
    if (p.standIn) return { top: this.v.now.standIns[p.standIn].top };
    const piece = this.v.now.pieces.find((q) => q.id === p.piece);
    return { top: this.v.shapes.of(piece)?.top, move: piece?.outline.top };
  }
  // shape keeps an outline once for all copies of its piece.
  shape(p, o) {
    const id = "plan-" + (p.piece || p.standIn),
      d = o.top || "";
    let path = this.shapes.get(id);
    if (!path) {
      path = make("path", { id, "fill-rule": "evenodd", "vector-effect": "non-scaling-stroke" });
      this.shapes.set(id, path);
      this.defs.append(path);
    }
    if (path.outline !== d) {
      path.outline = d;
      path.setAttribute("d", d);
    }
    return id;
  }
  footprint(p) {
    const faint = p.hidden || !this.v.visible(p),
      locked = this.v.locked(p);
    const g = make("g", {
      "data-id": p.id,
      transform: this.stand(p),
      opacity: faint ? 0.3 : 1,
      style: locked ? "pointer-events:none" : "cursor:move",
    });
    const land = Math.max(p.dims.x, p.dims.z) > 30,
      on = this.v.sel.includes(p.id);
    const o = this.outline(p),
      own = p.standIn
        ? p.standIn === "person"
          ? { x: p.size.y / 1.75, z: p.size.y / 1.75 }
          : p.size
        : { x: 1, z: 1 };
    const scale = make("g", { transform: `scale(${p.scale.x * own.x} ${p.scale.z * own.z})` });
    const path = make("use", {
      href: "#" + this.shape(p, o),
      transform: o.move || null,
      fill: land ? "#c2c2c2" : p.standIn && p.standIn !== "person" ? "none" : "#9b9b9b",
      "fill-opacity": land ? 0.6 : 0.85,
      stroke: on ? "#161616" : "#5a5a5a",
      "stroke-width": on ? 2 : 1,
      "stroke-dasharray": faint ? "3 3" : null,
    });
    scale.append(path);
    g.append(scale);
    if (!land)
      g.append(
        make("rect", {
          x: p.box.min.x * p.scale.x,
          y: p.box.min.z * p.scale.z,
          width: p.dims.x,
          height: p.dims.z,
          fill: "transparent",
        }),
      );
    else g.style.pointerEvents = "none";
    return g;
  }
  screen(x, z) {
    return [(x - this.x) * this.px, (z - this.z) * this.px];
  }
  label(p) {
    const w = Math.max(p.dims.x, p.dims.z) * this.px;
    if (w < 26 || !this.v.visible(p) || p.dims.x > 200 || this.v.sel.includes(p.id)) return;
    const [x, y] = this.screen(p.at.x, p.at.z),
      half = p.name.length * 2.8 + 4;
    if (this.labels.some(([lx, ly, lh]) => Math.abs(lx - x) < lh + half && Math.abs(ly - y) < 14)) return;
    this.labels.push([x, y, half]);
    this.over.append(
      make(
        "text",
        {
          x,
          y: y + 4,
          "text-anchor": "middle",
          "font-size": 11,
          fill: "#222",
          style: "pointer-events:none",
          stroke: "#cbcbcb",
          "stroke-width": 3,
          "paint-order": "stroke",
        },
        p.name,
      ),
    );
  }
  // brackets mark a selected thing by four corners and its dimensions.
  brackets(p) {
    const [x, y] = this.screen(p.at.x, p.at.z);
    const g = make("g", {
      transform: `translate(${x} ${y}) rotate(${-p.yaw * deg})`,
      fill: "none",
      stroke: "#161616",
      "stroke-width": 2,
    });
    const hw = (p.dims.x * this.px) / 2 + 6,
      hh = (p.dims.z * this.px) / 2 + 6,
      k = Math.min(10, hw, hh);
    const cx = ((p.box.min.x + p.box.max.x) / 2) * p.scale.x * this.px,
      cz = ((p.box.min.z + p.box.max.z) / 2) * p.scale.z * this.px;
    for (const [sx, sy] of [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ]) {
      g.append(make("path", { d: `M${cx + sx * hw} ${cz + sy * (hh - k)}V${cz + sy * hh}H${cx + sx * (hw - k)}` }));
      if (!p.locked && this.v.sel.length === 1) {
        // the corners scale
        const grip = make("rect", {
          x: cx + sx * hw - 7,
          y: cz + sy * hh - 7,
          width: 14,
          height: 14,
          fill: "transparent",
          stroke: "none",
          "data-corner": p.id,
          style: `cursor:${sx === sy ? "nwse" : "nesw"}-resize`,
        });
        grip.append(make("title", {}, "drag to scale"));
        g.append(grip);
      }
    }
    if (!p.locked && this.v.sel.length === 1) {
      // the dial for turning
      const r = Math.max(hw, hh) + 16;
      g.append(make("circle", { cx: 0, cy: 0, r, stroke: "#161616", "stroke-width": 1, "stroke-dasharray": "2 5" }));
      g.append(
        make("circle", {
          cx: 0,
          cy: -r,
          r: 6,
          fill: "#d6e935",
          "stroke-width": 1.5,
          "data-dial": p.id,
          style: "cursor:grab",
        }),
      );
    }
    this.over.append(g);
    if (p.id !== this.v.sel[0]) return; // of many the first is told
    const t = make("text", {
      x,
      y: y + Math.max(hw, hh) + 40,
      "text-anchor": "middle",
      "font-size": 12,
      class: "n",
      fill: "#161616",
      stroke: "#cbcbcb",
      "stroke-width": 4,
      "paint-order": "stroke",
      style: "pointer-events:none",
    });
    t.append(make("tspan", { x }, p.name), make("tspan", { x, dy: 15 }, this.v.size(p.dims)));
    this.over.append(t);
    if (this.dragged) this.neighbours(p);
  }
  // extent is what a thing covers of the plan: along X and Z.
  extent(p) {
    const c = Math.cos(p.yaw),
      s = Math.sin(p.yaw);
    let x0 = 1e12,
      x1 = -1e12,
      z0 = 1e12,
      z1 = -1e12;
    for (const x of [p.box.min.x * p.scale.x, p.box.max.x * p.scale.x])
      for (const z of [p.box.min.z * p.scale.z, p.box.max.z * p.scale.z]) {
        const a = p.at.x + x * c + z * s,
          b = p.at.z - x * s + z * c;
        x0 = Math.min(x0, a);
        x1 = Math.max(x1, a);
        z0 = Math.min(z0, b);
        z1 = Math.max(z1, b);
      }
    return { x0, x1, z0, z1 };
  }
  // others are what a thing in the hand can be measured and snapped to.
  others(held) {
    return this.order.filter((q) => !held.includes(q.id) && this.v.visible(q) && Math.max(q.dims.x, q.dims.z) < 30);
  }
  // neighbours shows the free way to the two nearest things.
  neighbours(p) {
    const a = this.extent(p),
      gap = (b) => [Math.max(b.x0 - a.x1, a.x0 - b.x1, 0), Math.max(b.z0 - a.z1, a.z0 - b.z1, 0)];
    const near = this.others(this.v.sel)
      .map((q) => {
        const b = this.extent(q),
          [gx, gz] = gap(b);
        return [Math.hypot(gx, gz), b, gx, gz];
      })
      .sort((m, n) => m[0] - n[0])
      .slice(0, 2);
    for (const [d, b] of near) {
      // From edge to edge where they face one another, else from corner to corner.
      const mid = (lo, hi, lo2, hi2) => {
        const m = (Math.max(lo, lo2) + Math.min(hi, hi2)) / 2;
        return [m, m];
      };
      const [xa, xb] = b.x0 > a.x1 ? [a.x1, b.x0] : a.x0 > b.x1 ? [a.x0, b.x1] : mid(a.x0, a.x1, b.x0, b.x1);
      const [za, zb] = b.z0 > a.z1 ? [a.z1, b.z0] : a.z0 > b.z1 ? [a.z0, b.z1] : mid(a.z0, a.z1, b.z0, b.z1);
      const [x1, y1] = this.screen(xa, za),
        [x2, y2] = this.screen(xb, zb);
      this.over.append(make("line", { x1, y1, x2, y2, stroke: "#161616", "stroke-dasharray": "4 3", "data-gap": d }));
      this.over.append(
        make(
          "text",
          {
            x: (x1 + x2) / 2,
            y: (y1 + y2) / 2 - 4,
            "text-anchor": "middle",
            "font-size": 12,
            class: "n",
            fill: "#161616",
            ...halo,
          },
          this.v.length(d),
        ),
      );
    }
    for (const g of this.guides || []) {
      const [w, h] = this.size(),
        k = g.axis === "x" ? this.screen(g.at, 0)[0] : this.screen(0, g.at)[1];
      this.over.append(
        make(
          "line",
          g.axis === "x"
            ? { x1: k, x2: k, y1: -h / 2, y2: h / 2, stroke: "#161616", "stroke-width": 1, "data-guide": g.to }
            : { y1: k, y2: k, x1: -w / 2, x2: w / 2, stroke: "#161616", "stroke-width": 1, "data-guide": g.to },
        ),
      );
      this.over.append(
        make(
          "text",
          {
            x: g.axis === "x" ? k + 6 : -w / 2 + 8,
            y: g.axis === "x" ? h / 2 - 40 : k - 6,
            "font-size": 12,
            fill: "#161616",
            ...halo,
          },
          "in line with " + g.to,
        ),
      );
    }
  }
  // snapped is a move of the held things that brings an edge or the middle of the
  // first in line with that of a neighbour, or else to whole steps, where it comes near
  // them. What was held
  // stays under the hand: it moves by the difference only.
  snapped(p, kept, dx, dz) {
    this.guides = [];
    const s = this.step(),
      out = { x: this.attract(dx, s), z: this.attract(dz, s) },
      reach = 7 / this.px;
    this.tip = out.x !== dx || out.z !== dz ? `in steps of ${this.v.length(s)}` : "";
    const base = this.extent({ ...p, at: kept }),
      mine = (lo, hi, d) => [lo + d, (lo + hi) / 2 + d, hi + d];
    for (const axis of ["x", "z"]) {
      const d = axis === "x" ? dx : dz,
        edges = mine(base[axis + "0"], base[axis + "1"], d);
      let best = reach;
      for (const q of this.others(this.v.sel)) {
        if (Math.hypot(q.at.x - kept.x - dx, q.at.z - kept.z - dz) > 400 / this.px) continue;
        const b = this.extent(q),
          theirs = [b[axis + "0"], (b[axis + "0"] + b[axis + "1"]) / 2, b[axis + "1"]];
        for (let i = 0; i < 3; i++)
          for (let j = 0; j < 3; j++) {
            if ((i === 1) !== (j === 1)) continue; // edges to edges, middles to middles
            const off = theirs[j] - edges[i];
            if (Math.abs(off) < best) {
              best = Math.abs(off);
              out[axis] = d + off;
              this.guides = this.guides.filter((g) => g.axis !== axis).concat({ axis, at: theirs[j], to: q.name });
            }
          }
      }
    }
    return out;
  }
  camera(st, world) {
    const view = st.set.view,
      half = (st.lens.horizontal / 2) * (Math.PI / 180),
      e = view.eye;
    const yaw = Math.atan2(-st.lens.forward.x, -st.lens.forward.z);
    const at = (a, r) => [e.x - Math.sin(yaw + a) * r, e.z - Math.cos(yaw + a) * r];
    const arc = (r) => {
      const a = at(half, r),
        b = at(-half, r);
      return `M${a}A${r} ${r} 0 0 1 ${b}`;
    };
    const line = {
      fill: "none",
      stroke: "#161616",
      "vector-effect": "non-scaling-stroke",
      style: "pointer-events:none",
    };
    const l = at(half, view.far),
      r = at(-half, view.far);
    world.append(make("path", { ...line, d: `M${l}L${e.x},${e.z}L${r}`, "stroke-width": 1.2, "data-wedge": "" }));
    world.append(
      make("path", { ...line, d: arc(view.near), "stroke-width": 1.2, "data-near": "" }),
      make("path", { ...line, d: arc(view.far), "stroke-width": 1.2, "data-far": "" }),
    );
    world.append(make("path", { ...line, d: arc(view.focus), "stroke-width": 1.2, "stroke-dasharray": "5 4" }));
    const g = make("g", {
      transform: `translate(${e.x} ${e.z}) rotate(${-yaw * deg}) scale(${1 / this.px})`,
      style: "cursor:move",
      "data-camera": "eye",
    });
    g.append(
      make("path", { d: "M0 -2L9 14H-9Z", fill: "#161616" }),
      make("circle", { r: 15, cy: 4, fill: "transparent" }),
    );
    // The handle for aiming is on a short stick: far out it would lie on the subject.
    const aim = at(0, 58 / this.px);
    world.append(
      make("path", { ...line, d: `M${at(0, 16 / this.px)}L${at(0, 50 / this.px)}`, "stroke-dasharray": "2 3" }),
    );
    const t = make("g", {
      transform: `translate(${aim[0]} ${aim[1]}) scale(${1 / this.px})`,
      style: "cursor:crosshair",
      "data-camera": "aim",
    });
    t.append(
      make("path", { d: "M-7 0H7M0 -7V7", stroke: "#161616", "stroke-width": 2 }),
      make("circle", { r: 12, fill: "transparent" }),
    );
    world.append(g, t);
  }
  sun(st, w, h) {
    if (!st.set.light.sunOn) return;
    const d = st.lightNow.toSun,
      l = Math.hypot(d.x, d.z) || 1;
    const g = make("g", {
      transform: `translate(${w / 2 - 44} ${-h / 2 + 62})`,
      stroke: "#161616",
      fill: "none",
      style: "pointer-events:none",
    });
    g.append(
      make("circle", { r: 22, "stroke-dasharray": "1 4" }),
      make("circle", { cx: (d.x / l) * 22, cy: (d.z / l) * 22, r: 5, fill: "#161616" }),
    );
    g.append(
      make("line", { x1: (d.x / l) * 17, y1: (d.z / l) * 17, x2: 0, y2: 0 }),
      make("text", { y: 40, "text-anchor": "middle", "font-size": 11, fill: "#222", stroke: "none" }, "sun"),
    );
    this.over.append(g);
  }
  scale(w, h) {
    const feet = this.v.unit === "foot" || this.v.unit === "inch",
      one = feet ? 0.3048 : 1;
    const m =
        [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000].find((k) => k * one * this.px >= 70) ||
        10000,
      len = m * one * this.px;
    const x = -w / 2 + 16,
      y = h / 2 - 16;
    this.over.append(make("path", { d: `M${x} ${y - 5}V${y}H${x + len}V${y - 5}`, fill: "none", stroke: "#161616" }));
    this.over.append(
      make(
        "text",
        { x: x + len + 6, y, "font-size": 12, class: "n", fill: "#161616" },
        feet ? m + " ft" : m >= 1000 ? m / 1000 + " km" : m < 1 ? m * 100 + " cm" : m + " m",
      ),
    );
    this.over.append(
      make(
        "text",
        { x: w / 2 - 14, y: -h / 2 + 22, "text-anchor": "end", "font-size": 12, class: "n", fill: "#161616" },
        "1 : " + Math.round(3780 / this.px),
      ),
    );
  }
  press(e) {
    if (e.button > 1) return;
    const v = this.v,
      from = this.at(e),
      camera = e.target.closest("[data-camera]"),
      dial = e.target.closest("[data-dial]"),
      corner = e.target.closest("[data-corner]");
    const point = e.target.closest("[data-point]"),
      mark = e.target.closest("[data-snag]"),
      id = mark ? this.under(e)[0] : this.pick(e);
    const follow = (move, drop) =>
      pull(
        this.svg,
        e,
        (m) => {
          this.tipAt = this.at(m);
          move(this.tipAt, m);
        },
        (moved) => {
          this.tip = "";
          drop(moved);
        },
      );
    // What a snag's mark lies on can be pulled by it.
    if (mark && (!id || e.shiftKey)) return v.showSnag(mark.dataset.snag);
    if (point) return this.dragPoint(point.dataset.point, from, follow);
    if (camera) return this.dragCamera(camera.dataset.camera, from, follow);
    if (dial) {
      const p = v.placement(dial.dataset.dial),
        yaw = p.yaw,
        way = (q) => Math.atan2(-(q.x - p.at.x), -(q.z - p.at.z));
      return follow(
        (at, m) => {
          // It turns by what the hand went about it, from where it was.
          [p.yaw, this.tip] = this.turned(
            yaw,
            way(from),
            way(at),
            Math.hypot(at.x - p.at.x, at.z - p.at.z) * this.px,
            m.altKey,
          );
          this.shift(p);
          this.overlay();
          v.lens?.carry(p);
        },
        (moved) => {
          const a = p.yaw;
          p.yaw = yaw;
          if (moved) v.change(p.id, { yaw: a });
          else v.draw();
        },
      );
    }
    if (corner) {
      const p = v.placement(corner.dataset.corner),
        kept = { ...p.scale },
        dims = { ...p.dims },
        r = Math.hypot(from.x - p.at.x, from.z - p.at.z) || 1;
      return follow(
        (at, m) => {
          this.tip = this.grown(p, kept, dims, Math.hypot(at.x - p.at.x, at.z - p.at.z) / r, r * this.px, m.altKey);
          this.draw();
          v.lens?.carry(p);
        },
        (moved) => {
          const scale = { ...p.scale };
          p.scale = kept;
          p.dims = dims;
          if (moved) v.change(p.id, { scale });
          else v.draw();
        },
      );
    }
    if (id && !(e.shiftKey && !e.target.closest("[data-id]"))) {
      const whole = v.members(id);
      if (e.shiftKey) return v.select(id, true);
      const had = v.sel.includes(id),
        again = had && v.sel.length === whole.length;
      if (!had) v.select(id);
      const held = v.sel
        .map((x) => v.placement(x))
        .filter((p) => p && !v.locked(p))
        .map((p) => ({ p, at: { ...p.at } }));
      const first = held.find((h) => h.p.id === id) || held[0];
      if (!held.length) return mark ? v.showSnag(mark.dataset.snag) : undefined;
      return follow(
        (at, m) => {
          this.dragged = true;
          let d = { x: at.x - from.x, z: at.z - from.z };
          if (m.shiftKey) Math.abs(d.x) > Math.abs(d.z) ? (d.z = 0) : (d.x = 0); // along one axis
          this.guides = [];
          if (v.snapOn && !m.altKey) {
            const s = this.snapped(first.p, first.at, d.x, d.z);
            d = m.shiftKey ? { x: d.x && s.x, z: d.z && s.z } : s;
          }
          for (const h of held) {
            h.p.at.x = h.at.x + d.x;
            h.p.at.z = h.at.z + d.z;
            this.shift(h.p);
            v.lens?.carry(h.p);
          }
          this.overlay();
        },
        (moved) => {
          this.dragged = false;
          this.guides = [];
          const commands = held.map((h) => ({
            op: "change placement",
            args: { id: h.p.id, patch: { at: { x: h.p.at.x, z: h.p.at.z } } },
          }));
          for (const h of held) h.p.at = h.at;
          if (moved) return v.edit(...commands);
          if (moved === null) return v.draw();
          if (mark) return v.showSnag(mark.dataset.snag);
          // A click on what is selected already goes through to what lies beneath.
          if (again) v.select(this.pick(e, id) || id);
          return this.draw();
        },
      );
    }
    if (e.shiftKey) {
      // a frame about many
      return follow(
        (at) => {
          this.frame = [from, at];
          this.overlay();
          this.over.append(make("rect", this.frameBox()));
        },
        (moved) => {
          const f = this.frame;
          this.frame = null;
          if (!moved || !f) return v.draw();
          const [x0, x1] = [f[0].x, f[1].x].sort((a, b) => a - b),
            [z0, z1] = [f[0].z, f[1].z].sort((a, b) => a - b);
          v.selectAll(
            this.order
              .filter(
                (p) =>
                  v.visible(p) &&
                  !v.locked(p) &&
                  Math.max(p.dims.x, p.dims.z) < 30 &&
                  p.at.x >= x0 &&
                  p.at.x <= x1 &&
                  p.at.z >= z0 &&
                  p.at.z <= z1,
              )
              .map((p) => p.id),
          );
        },
      );
    }
    const x = this.x,
      z = this.z;
    follow(
      (_, m) => {
        this.x = x - (m.clientX - e.clientX) / this.px;
        this.z = z - (m.clientY - e.clientY) / this.px;
        this.touched = true;
        this.draw();
      },
      (moved) => {
        if (moved === null) {
          this.x = x;
          this.z = z;
          this.draw();
        } else if (!moved) v.select("");
      },
    );
  }
  frameBox() {
    const [a, b] = this.frame.map((p) => this.screen(p.x, p.z));
    return {
      x: Math.min(a[0], b[0]),
      y: Math.min(a[1], b[1]),
      width: Math.abs(a[0] - b[0]),
      height: Math.abs(a[1] - b[1]),
      fill: "none",
      stroke: "#161616",
      "stroke-dasharray": "6 4",
    };
  }
  // under are the things under the pointer, the topmost first.
  under(e) {
    return [
      ...new Set(
        document
          .elementsFromPoint(e.clientX, e.clientY)
          .map((n) => n.closest?.("[data-id]")?.dataset.id)
          .filter(Boolean),
      ),
    ];
  }
  // pick is the topmost thing under the pointer, or the next one beneath a given.
  pick(e, after = "") {
    if (!after) return e.target.closest("[data-id]")?.dataset.id || "";
    const list = this.under(e);
    return list[(list.indexOf(after) + 1) % list.length] || "";
  }
  // dragPoint pulls a point that an element was drawn by.
  dragPoint(which, from, follow) {
    const [id, i] = which.split(" "),
      v = this.v,
      e = v.now.elements.find((x) => x.id === id);
    if (!e || e.locked) return;
    const kept = JSON.stringify(e.spec),
      was = { ...handles(e)[Number(i)] };
    follow(
      (at, m) => {
        setHandle(e, Number(i), this.drawn({ x: was.x + at.x - from.x, z: was.z + at.z - from.z }, m.altKey));
        this.overlay();
      },
      (moved) => {
        const spec = moved ? drawnBy(e) : null;
        e.spec = JSON.parse(kept);
        if (moved) v.does("change element", { id, patch: { spec } });
        else v.draw();
      },
    );
  }
  dragCamera(part, from, follow) {
    const v = this.v,
      view = v.st.set.view,
      kept = structuredClone(Alpine.raw(view)),
      was = { ...v.st.lens.forward };
    if (part === "eye") {
      follow(
        (at, m) => {
          const to = this.drawn({ x: kept.eye.x + at.x - from.x, z: kept.eye.z + at.z - from.z }, m.altKey);
          view.eye.x = to.x;
          view.eye.z = to.z;
          this.draw();
        },
        (moved) => {
          const eye = { ...view.eye };
          v.st.set.view = kept;
          if (moved) v.view({ eye });
          else v.draw();
        },
      );
    } else {
      const way = (q) => Math.atan2(-(q.x - view.eye.x), -(q.z - view.eye.z));
      follow(
        (at) => {
          // From where it was taken: what the hand went about the eye.
          const yaw = kept.yaw + way(at) - way(from),
            d = { x: -Math.sin(yaw), z: -Math.cos(yaw) },
            l = 1;
          view.yaw = Math.atan2(-d.x, -d.z);
          v.st.lens.forward = { x: d.x / l, y: was.y, z: d.z / l };
          this.draw();
        },
        (moved) => {
          const yaw = view.yaw;
          v.st.set.view = kept;
          v.st.lens.forward = was;
          if (moved) v.view({ yaw });
          else v.draw();
        },
      );
    }
  }
}

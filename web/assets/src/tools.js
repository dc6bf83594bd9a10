// Drawing on the plan: what is chosen from the row of tools is drawn with the
// mouse, by dragging or point by point, or with the keyboard.
import { make } from "./svg.js";
import { pull } from "./drag.js";
import { drawing, drawn } from "./kinds.js";
import { stores } from "./stores.js";

// Every tool: how it is drawn (box: dragged over a rectangle; span: dragged from
// end to end; points: one after the other; stroke: by hand; point), the fewest
// points, and what to do, in a few words.
const how = {
  box: ["box", "drag its outline"],
  slab: ["box", "drag its outline"],
  cylinder: ["box", "drag its outline"],
  wedge: ["box", "drag its outline; it rises upwards on the plan"],
  steps: ["box", "drag their outline; they rise upwards on the plan"],
  wall: ["span", "drag from end to end"],
  card: ["span", "drag from end to end"],
  person: ["point", "click where to stand"],
  room: ["area", "drag a rectangle, or click its corners and press Enter"],
  facade: ["points", "click from left to right, then Enter", 2],
  row: ["points", "click along it, then Enter", 2],
  grid: ["box", "drag over it"],
  circle: ["span", "drag from its middle to its edge"],
  line: ["points", "click the supports, then Enter", 2],
  drift: ["area", "drag a rectangle, or click its corners and press Enter"],
  "keep out": ["area", "drag a rectangle, or click its corners and press Enter"],
  ground: ["box", "drag its outline"],
  path: ["points", "click along it, then Enter", 2],
  water: ["area", "drag a rectangle, or click its corners and press Enter"],
  backdrop: ["point", "click where it stands"],
  rail: ["points", "click along the camera's way, then Enter", 2],
  ride: ["points", "click where it goes, one place after the other, then Enter", 1],
  face: ["point", "click what it is to face"],
  brush: ["stroke", "drag over the ground or the drift"],
  flat: ["area", "drag what is to be flattened"],
};
const rows = [
  ["block out", "box slab wall cylinder wedge steps card"],
  ["build", "room facade"],
  ["repeat", "row grid circle line drift"],
  ["land", "ground path water backdrop"],
  ["light", ""],
];
// toolRows are the tools by what they are for; kinds that say so themselves are behind the others.
export const toolRows = () =>
  rows.map(([name, list]) => [
    name,
    [...list.split(" ").filter(Boolean), ...drawn().flatMap(([kind, d]) => (d.row === name ? [kind] : []))].join(" "),
  ]);

// howOf is how a tool is drawn: its way, what to do, and the fewest points.
function howOf(tool) {
  const d = drawing(tool);
  return how[tool] || (d && [d.way, d.say, d.way === "points" ? 2 : undefined]);
}

export class Tools {
  __v_skip = true;
  constructor(plan, v) {
    this.plan = plan;
    this.v = v;
    this.points = [];
    this.cross = null;
  }
  get tool() {
    return stores.dress.tool;
  }
  get way() {
    return howOf(this.tool)?.[0] || "";
  }
  hint() {
    return (
      (howOf(this.tool)?.[1] || "") + (this.way === "stroke" ? "; Escape ends" : "; with Shift for more than one")
    );
  }
  start() {
    this.points = [];
    this.from = null;
    this.cross = null;
    this.plan.svg.style.cursor = this.tool ? "crosshair" : "";
    if (this.tool) this.plan.svg.focus({ preventScroll: true });
    this.plan.overlay();
  }
  place(e) {
    const p = this.plan.at(e),
      at = { x: e.altKey ? p.x : this.plan.grid(p.x), z: e.altKey ? p.z : this.plan.grid(p.z) };
    return at;
  }
  // press takes a pointer that is drawing; false leaves it to the plan.
  press(e) {
    if (!this.tool || e.button > 0 || e.target.closest("[data-point], [data-camera], [data-dial]")) return false;
    e.preventDefault();
    const svg = this.plan.svg,
      at = this.place(e);
    svg.focus({ preventScroll: true });
    if (this.way === "stroke") this.points = [at];
    const drags = this.way === "box" || this.way === "span" || (this.way === "area" && !this.points.length);
    this.from = drags ? at : null;
    this.to = at;
    pull(
      svg,
      e,
      (m) => {
        this.to = this.place(m);
        if (this.way === "stroke") {
          const p = this.plan.at(m),
            l = this.points.at(-1);
          if (Math.hypot(p.x - l.x, p.z - l.z) * this.plan.px > 5) this.points.push({ x: p.x, z: p.z });
        }
        this.plan.overlay();
      },
      (moved, u) => {
        if (moved === null) {
          this.from = null;
          this.points = [];
          return this.plan.overlay();
        }
        this.to = this.place(u);
        this.more = u.shiftKey;
        if (this.way === "stroke") return this.done();
        if (this.from && moved) {
          this.points = [this.from, this.to];
          return this.done(true);
        }
        this.from = null;
        return this.put(this.to);
      },
      4,
    );
    return true;
  }
  // put adds a point; with it some tools are done.
  put(p) {
    const first = this.points[0];
    if (
      first &&
      this.points.length > 2 &&
      this.way === "area" &&
      Math.hypot(p.x - first.x, p.z - first.z) * this.plan.px < 8
    )
      return this.done();
    this.points.push(p);
    if (this.way === "point") return this.done();
    if ((this.way === "box" || this.way === "span") && this.points.length === 2) return this.done(true);
    this.plan.overlay();
  }
  hover(e) {
    if (this.tool && (this.points.length || this.way === "stroke") && !this.from) {
      this.to = this.place(e);
      this.plan.overlay();
    }
  }
  finish(e) {
    if (!this.tool || (this.way !== "points" && this.way !== "area")) return;
    e.preventDefault();
    // The second click of the double one put the same point again.
    const n = this.points.length,
      [a, b] = [this.points[n - 2], this.points[n - 1]];
    if (a && b && Math.hypot(a.x - b.x, a.z - b.z) * this.plan.px < 4) this.points.pop();
    this.done();
  }
  // key draws without a mouse: arrows move a cross, Space puts a point, Enter ends.
  key(e) {
    if (!this.tool) return;
    this.more = e.shiftKey && e.key === "Enter";
    const step = (e.shiftKey ? 10 : 1) * this.plan.step(),
      m = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (m) {
      this.cross ||= this.plan.middle();
      this.cross = { x: this.plan.grid(this.cross.x + m[0] * step), z: this.plan.grid(this.cross.z + m[1] * step) };
      this.to = this.cross;
      this.plan.overlay();
    } else if (e.key === " ") this.put({ ...(this.cross || this.plan.middle()) });
    else if (e.key === "Enter") this.done();
    else if (e.key === "Backspace") {
      this.points.pop();
      this.plan.overlay();
    } else if (e.key === "Escape") {
      if (this.points.length) {
        this.points = [];
        this.plan.overlay();
      } else stores.dress.useTool("");
    } else return;
    e.preventDefault();
    e.stopPropagation();
  }
  // draw shows what is being drawn, with its dimensions.
  draw(over) {
    if (!this.tool) return;
    const pl = this.plan,
      at = (p) => pl.screen(p.x, p.z),
      style = { fill: "none", stroke: "#161616", "stroke-width": 1.6, style: "pointer-events:none" };
    const say = (p, text) => {
      const [x, y] = at(p);
      over.append(
        make(
          "text",
          {
            x,
            y,
            "text-anchor": "middle",
            "font-size": 12,
            class: "n halo",
            fill: "#161616",
            style: "pointer-events:none",
          },
          text,
        ),
      );
    };
    if (this.cross) {
      const [x, y] = at(this.cross);
      over.append(make("path", { ...style, d: `M${x - 9} ${y}h18M${x} ${y - 9}v18` }));
    }
    const two = this.from
      ? [this.from, this.to]
      : (this.way === "box" || this.way === "span") && this.points[0] && this.to
        ? [this.points[0], this.to]
        : null;
    if (two && this.way !== "span") {
      const [a, b] = two.map(at),
        w = Math.abs(two[1].x - two[0].x),
        d = Math.abs(two[1].z - two[0].z);
      over.append(
        make("rect", {
          ...style,
          x: Math.min(a[0], b[0]),
          y: Math.min(a[1], b[1]),
          width: Math.abs(a[0] - b[0]),
          height: Math.abs(a[1] - b[1]),
        }),
      );
      say(
        { x: (two[0].x + two[1].x) / 2, z: Math.max(two[0].z, two[1].z) + 16 / pl.px },
        `${this.v.length(w)} × ${this.v.length(d)}`,
      );
    } else if (two) {
      const [a, b] = two.map(at);
      over.append(make("path", { ...style, d: `M${a}L${b}` }));
      say(
        { x: (two[0].x + two[1].x) / 2, z: (two[0].z + two[1].z) / 2 - 8 / pl.px },
        this.v.length(Math.hypot(two[1].x - two[0].x, two[1].z - two[0].z)),
      );
    } else if (this.points.length) {
      const list = this.way === "stroke" || !this.to ? this.points : [...this.points, this.to];
      over.append(
        make("path", {
          ...style,
          d: "M" + list.map(at).join("L"),
          "stroke-dasharray": this.way === "stroke" ? null : "6 4",
        }),
      );
      for (const p of this.points) {
        const [x, y] = at(p);
        if (this.way !== "stroke")
          over.append(make("rect", { x: x - 3, y: y - 3, width: 6, height: 6, fill: "#d6e935", stroke: "#161616" }));
      }
      const n = list.length;
      if (n > 1 && this.way !== "stroke")
        say(
          { x: (list[n - 1].x + list[n - 2].x) / 2, z: (list[n - 1].z + list[n - 2].z) / 2 - 8 / pl.px },
          this.v.length(Math.hypot(list[n - 1].x - list[n - 2].x, list[n - 1].z - list[n - 2].z)),
        );
    }
    if (this.tool === "brush" && this.to) {
      const [x, y] = at(this.to);
      over.append(
        make("circle", { ...style, cx: x, cy: y, r: stores.dress.brush.radius * pl.px, "stroke-dasharray": "4 3" }),
      );
    }
  }
  // done makes what was drawn.
  async done(rectangle = false) {
    const v = this.v,
      tool = this.tool,
      pts = this.points,
      least = howOf(tool)?.[2] || (this.way === "area" ? 3 : 1);
    this.points = [];
    this.from = null;
    this.to = null;
    // A long stroke keeps every second, third, ... of its points.
    const every = Math.ceil(pts.length / 300);
    if (this.way === "stroke" && every > 1) pts.splice(0, pts.length, ...pts.filter((_, i) => i % every === 0));
    if (!rectangle && pts.length < least) {
      this.plan.overlay();
      return v.say(pts.length ? `It takes ${least} points or more.` : "", pts.length > 0);
    }
    const [a, b] = pts,
      corners = rectangle && this.way === "area" ? [a, { x: b.x, z: a.z }, b, { x: a.x, z: b.z }] : pts;
    if (
      rectangle &&
      (this.way === "box" || this.way === "area") &&
      (Math.abs(a.x - b.x) < 1e-6 || Math.abs(a.z - b.z) < 1e-6)
    ) {
      this.plan.overlay();
      return v.say("It holds no area; drag it wider.", true);
    }
    const r = await stores.dress.drawn(
      tool,
      corners,
      rectangle || this.way === "span"
        ? {
            w: Math.abs(b?.x - a.x),
            d: Math.abs(b?.z - a.z),
            x: (a.x + b?.x) / 2,
            z: (a.z + b?.z) / 2,
            length: Math.hypot(b?.x - a.x, b?.z - a.z),
            yaw: Math.atan2(-(b?.z - a.z), b?.x - a.x),
          }
        : null,
    );
    if (r?.made?.length) v.sel = [r.made[0]];
    // One is drawn, then the pointer selects again; a brush goes on, and so does
    // every tool while Shift is held.
    if (r && tool !== "brush" && this.tool && !this.more) stores.dress.useTool("");
    v.draw();
    return undefined;
  }
}

// described is what drawing says of an element; mix are the pieces it lays. The rest is as
// its kind begins, which the server knows.
export function described(tool, pts, box, mix, around) {
  const pieces = mix.map((piece) => ({ piece, weight: 1 }));
  const row = (shape, more) => [
    "row",
    { shape, points: pts, smooth: shape === "path", pieces, spacing: around.wide, rows: around.wide, ...more },
  ];
  switch (tool) {
    case "room":
      return ["room", { outline: pts }];
    case "facade":
      return ["room", { outline: pts, open: true, height: 6, wall: 0.3 }];
    case "row":
      return row(pts.length > 2 ? "path" : "line");
    case "grid":
      return row("grid", { follow: false });
    case "circle":
      return row("circle", { by: "count", count: 8 });
    case "line":
      return ["line", { points: pts.map((p) => ({ ...p, y: around.high(p) })), pieces }];
    case "drift":
      return ["drift", { area: pts, pieces, density: around.density }];
    case "ground":
      return [
        "ground",
        {
          middle: { x: box.x, z: box.z },
          width: box.w,
          depth: box.d,
          cell: Math.max(Math.round((Math.max(box.w, box.d) / 200) * 20) / 20, 0.1),
          grain: Math.max(box.w, box.d) / 3,
        },
      ];
    case "path":
      return ["path", { points: pts, smooth: pts.length > 2 }];
    case "water":
      return ["water", { outline: pts, level: around.level }];
    case "lamp":
      return ["lamp", around.lamp(pts[0]) || { at: { ...pts[0], y: around.hung(pts[0]) }, to: { ...pts[0], y: 0 } }];
    case "backdrop":
      return ["card", { at: { ...pts[0], y: 0 } }];
  }
  const d = drawing(tool);
  return d ? [tool, { [d.key]: d.way === "point" ? pts[0] : pts }] : null;
}

// What a set is described by: how each kind is drawn on the plan, by which points
// it was drawn, and which numbers it is described by.
import { make } from "./svg.js";
import { drawing } from "./kinds.js";
import { stores } from "./stores.js";

// where names the list of points of a kind.
const where = { room: "outline", row: "points", path: "points", line: "points", drift: "area", water: "outline" };

// aimed says whether it matters where a lamp is turned.
const aimed = (s) => s.shape !== "ball";

// handles are the points that an element is pulled by.
export function handles(e) {
  if (e.kind === "fog") return [e.spec.at];
  if (e.kind === "lamp") return aimed(e.spec) ? [e.spec.at, e.spec.to] : [e.spec.at];
  if (where[e.kind]) return e.spec[where[e.kind]] || [];
  const d = drawing(e.kind);
  if (d) return (d.way === "point" ? [e.spec[d.key]] : e.spec[d.key]) || [];
  return e.kind === "ground" ? [e.spec.middle] : e.kind === "card" ? [e.spec.at] : [];
}
export function setHandle(e, i, p) {
  const h = handles(e)[i];
  if (h) {
    h.x = p.x;
    h.z = p.z;
  }
}
// drawnBy is the part of the description that its points are.
export function drawnBy(e) {
  if (e.kind === "lamp") return { at: e.spec.at, to: e.spec.to };
  const k = where[e.kind] || drawing(e.kind)?.key || { ground: "middle", card: "at" }[e.kind];
  return { [k]: e.spec[k] };
}

const line = { fill: "none", stroke: "#3d3d3d", "stroke-width": 1.3, "vector-effect": "non-scaling-stroke" };
const closed = (list) => "M" + list.map((p) => `${p.x} ${p.z}`).join("L") + "Z";
const open = (list) => "M" + list.map((p) => `${p.x} ${p.z}`).join("L");

export function drawElement(plan, world, e) {
  const s = e.spec,
    on = plan.v.sel.includes(e.id),
    wide = on ? 2.6 : 1.3;
  const g = make("g", {
    "data-id": stores.dress.locked(e) ? null : e.id,
    "data-element": e.kind,
    style: stores.dress.locked(e) ? "pointer-events:none" : "cursor:pointer",
    opacity: stores.dress.visible(e) ? 1 : 0.3,
  });
  const put = (tag, a) => g.append(make(tag, { ...line, "stroke-width": wide, ...a }));
  switch (e.kind) {
    case "room":
      put("path", {
        d: closed(s.outline),
        stroke: "none",
        fill: s.open ? "none" : "#d6d6d6",
        "fill-opacity": 0.5,
        style: "pointer-events:none",
      });
      for (const w of e.strips || [])
        put("path", { d: closed(w), fill: "#6a6a6a", "fill-opacity": 0.9, stroke: "#3d3d3d" });
      for (const d of e.swings || []) put("path", { d: swing(d), "stroke-width": 1, "data-swing": d.name });
      break;
    case "fog":
      for (const l of e.strips || []) put("path", { d: open(l), "stroke-dasharray": "1 4", "data-fog": "" });
      break;
    case "row":
    case "line":
      for (const l of e.strips || [s.points])
        put("path", { d: open(l), "stroke-dasharray": e.kind === "line" ? null : "7 4" });
      break;
    case "path":
      put("path", {
        d: open(e.strips?.[0] || s.points),
        "vector-effect": null,
        "stroke-width": s.width,
        stroke: "#aaaaaa",
        "stroke-opacity": 0.75,
      });
      if (on) put("path", { d: open(e.strips?.[0] || s.points), style: "pointer-events:none" });
      break;
    case "drift":
      put("path", {
        d: closed(s.area),
        "stroke-dasharray": "2 4",
        fill: "#8c8c8c",
        "fill-opacity": on ? 0.16 : 0.08,
      });
      for (const k of s.keep || [])
        put("path", { d: closed(k), "stroke-dasharray": "8 3 2 3", fill: "#cbcbcb", "fill-opacity": 0.5 });
      break;
    case "water":
      put("path", { d: closed(s.outline), fill: "#dcdcdc", "fill-opacity": 0.8 });
      break;
    case "ground": {
      const a = { x: s.middle.x - s.width / 2, z: s.middle.z - s.depth / 2 };
      put("rect", {
        x: a.x,
        y: a.z,
        width: s.width,
        height: s.depth,
        "stroke-dasharray": "12 4",
        fill: "#c2c2c2",
        "fill-opacity": 0.35,
        style: on ? "" : "pointer-events:none",
      });
      break;
    }
    case "card": {
      const eye = plan.v.now.set.view.eye,
        yaw = s.facing ? Math.atan2(eye.x - s.at.x, eye.z - s.at.z) : s.yaw,
        c = (Math.cos(yaw) * s.width) / 2,
        d = (-Math.sin(yaw) * s.width) / 2;
      put("path", { d: `M${s.at.x - c} ${s.at.z - d}L${s.at.x + c} ${s.at.z + d}`, "stroke-width": on ? 4 : 3 });
      break;
    }
    case "lamp":
      lamp(plan, g, put, e, on);
      break;
    default: {
      const d = drawing(e.kind);
      if (!d) return;
      const [p] = handles(e);
      if (d.way === "point") put("circle", { cx: p.x, cy: p.z, r: 0.3, fill: "#8c8c8c" });
      else put("path", { d: d.way === "area" ? closed(handles(e)) : open(handles(e)), fill: "none" });
    }
  }
  // Thin lines are hard to hit: a wide clear one lies about them.
  if (e.kind === "row" || e.kind === "line" || e.kind === "card")
    for (const p of [...g.children])
      g.append(
        make("path", {
          d: p.getAttribute("d"),
          fill: "none",
          stroke: "transparent",
          "stroke-width": 14,
          "vector-effect": "non-scaling-stroke",
        }),
      );
  world.append(g);
  if (e.count) drawInstances(plan, world, e);
}

// lamp draws a lamp by its light: what it gives to the floor, at half and at a tenth of the most; where it is, and
// where it is aimed.
function lamp(plan, g, put, e, on) {
  const s = e.spec,
    dim = s.on ? 1 : 0.35;
  for (const p of (on || plan.v.on("light") ? e.pools : null) || []) {
    const [x, z] = p.outline.reduce((a, q) => (q[1] < a[1] ? q : a));
    put("path", {
      d: closed(p.outline.map((q) => ({ x: q[0], z: q[1] }))),
      stroke: "#6b6b6b",
      "stroke-width": p.share > 0.3 ? 1.2 : 0.8,
      fill: "#ffffff",
      "fill-opacity": 0.16,
      style: "pointer-events:none",
      "data-pool": p.share,
    });
    const t = make("g", { transform: `translate(${x} ${z}) scale(${1 / plan.px})`, style: "pointer-events:none" });
    const words = `${p.lux >= 99.5 ? Math.round(p.lux) : Number(p.lux.toPrecision(2))} lx`;
    t.append(make("text", { y: -3, "text-anchor": "middle", "font-size": 11, class: "n", fill: "#3d3d3d" }, words));
    g.append(t);
  }
  if (aimed(s)) put("path", { d: open([s.at, s.to]), "stroke-dasharray": "3 3", style: "pointer-events:none" });
  const m = make("g", { transform: `translate(${s.at.x} ${s.at.z}) scale(${1 / plan.px})`, opacity: dim });
  m.append(
    make("circle", { r: 12, fill: "transparent" }),
    make("circle", { r: 5, fill: s.on ? "#ffffff" : "#8c8c8c", stroke: "#161616", "stroke-width": on ? 2.4 : 1.4 }),
    make("path", { d: rays(8, 7, 11), stroke: "#161616", "stroke-width": 1.2 }),
    make("title", {}, `${e.name}: ${e.said || ""}`),
  );
  g.append(m);
}

// rays are short lines around a middle.
export const rays = (n, from, to) =>
  Array.from({ length: n }, (_, i) => {
    const c = Math.cos((i * 2 * Math.PI) / n),
      s = Math.sin((i * 2 * Math.PI) / n);
    return `M${(c * from).toFixed(2)} ${(s * from).toFixed(2)}L${(c * to).toFixed(2)} ${(s * to).toFixed(2)}`;
  }).join("");

function swing(d) {
  const at = (a) => `${d.hinge.x + Math.cos(a) * d.width} ${d.hinge.z + Math.sin(a) * d.width}`;
  return (
    `M${d.hinge.x} ${d.hinge.z}L${at(d.open)}A${d.width} ${d.width} 0 0 ${d.open < d.closed ? 1 : 0} ` +
    `${at(d.closed)}${d.stands !== d.closed ? `M${d.hinge.x} ${d.hinge.z}L${at(d.stands)}` : ""}`
  );
}

// few is up to how many things outlines are drawn; beyond, points.
const few = 400,
  most = 20000;

// drawInstances draws what an element lays: outlines of a few, points of many.
function drawInstances(plan, world, e) {
  const list = plan.v.laid.of(e, most);
  if (!list) return;
  const was = plan.laid.get(e.id); // the same things of the same pieces are drawn once
  if (was?.list === list && was.of === plan.listed) return world.append(was.g);
  const g = make("g", { style: "pointer-events:none" });
  plan.laid.set(e.id, { list, of: plan.listed, g });
  const n = list.count;
  if (n <= few && e.count <= few) {
    for (let i = 0; i < n; i++) {
      const t = list.at(i),
        piece = plan.pieces.get(e.pieces[t.piece]);
      if (!piece) continue;
      const o = plan.outline({ piece: piece.id });
      const c = make("g", {
        transform: `translate(${t.x} ${t.z}) rotate(${(-t.yaw * 180) / Math.PI}) scale(${t.scale})`,
      });
      c.append(
        make("use", {
          href: "#" + plan.shape({ piece: piece.id }, o),
          transform: o.move || null,
          fill: "#9b9b9b",
          "fill-opacity": 0.7,
          stroke: "#5a5a5a",
          "stroke-width": 0.8,
        }),
      );
      g.append(c);
    }
  } else {
    let d = "";
    for (let i = 0; i < n; i++) {
      const t = list.at(i);
      d += `M${t.x.toFixed(2)} ${t.z.toFixed(2)}h0`;
    }
    g.append(
      make("path", {
        d,
        stroke: "#4a4a4a",
        "stroke-opacity": 0.75,
        "stroke-width": 2.4,
        "stroke-linecap": "round",
        "vector-effect": "non-scaling-stroke",
      }),
    );
  }
  world.append(g);
}

// Laid fetches where the pieces of elements stand, once for each outcome.
export class Laid {
  __v_skip = true;
  constructor(fetchAt, arrived) {
    this.fetchAt = fetchAt;
    this.arrived = arrived;
    this.kept = new Map();
  }
  // of is what is known of an element's instances, at most so many; null until
  // they are there.
  of(e, most) {
    most = Math.min(most, e.count || most); // all of them are the same for whoever wants more
    const now = `${e.id} ${e.key} `,
      key = now + most;
    if (!this.kept.has(key)) {
      for (const k of this.kept.keys()) if (k.startsWith(e.id + " ") && !k.startsWith(now)) this.kept.delete(k);
      this.kept.set(key, null);
      this.fetchAt(e, most, () => this.kept.has(key)).then((raw) => {
        if (raw && this.kept.has(key)) {
          this.kept.set(key, new Instances(raw));
          this.arrived();
        } else this.kept.delete(key);
      });
    }
    return this.kept.get(key);
  }
}

// Instances reads what the server packs: 36 bytes each.
class Instances {
  constructor(raw) {
    this.view = new DataView(raw);
    this.count = raw.byteLength / 36;
  }
  at(i) {
    const f = (k) => this.view.getFloat32(36 * i + 4 * k, true),
      q = [f(4), f(5), f(6), f(7)];
    return {
      piece: this.view.getUint32(36 * i, true),
      x: f(1),
      y: f(2),
      z: f(3),
      q,
      scale: f(8),
      yaw: Math.atan2(2 * (q[3] * q[1] + q[0] * q[2]), 1 - 2 * (q[0] * q[0] + q[1] * q[1])),
    };
  }
}

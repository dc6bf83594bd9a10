// What the hand does to things in the lens view: it takes what it sees, moves it on what
// lies beneath the pointer, turns it by its ring and scales it by its corner.
import { Matrix3, Raycaster, Vector2, Vector3 } from "three";
import { pull } from "./drag.js";
import { stores } from "./stores.js";

// Ground and what is larger than a house stop the pointer and are not taken.
const land = ["ground", "path", "water"],
  large = 30;

export class Grasp {
  constructor(lens) {
    this.lens = lens;
    this.v = lens.v;
  }

  // beneath is the ray through the picture at a place of the page, and what it meets, the
  // nearest first. It starts at the near plane: it meets what is drawn, no more.
  beneath(x, y, but = []) {
    const l = this.lens,
      r = l.canvas.getBoundingClientRect(),
      ray = new Raycaster();
    l.project();
    ray.setFromCamera(new Vector2(((x - r.left) / r.width) * 2 - 1, 1 - ((y - r.top) / r.height) * 2), l.camera);
    ray.near = l.viewNow.near;
    ray.far = l.viewNow.far;
    ray.params.Points.threshold = 0.05; // metres: what is drawn as a point is small
    l.scene.updateMatrixWorld(); // what came since the last picture is there too
    return {
      ray: ray.ray,
      met: ray.intersectObjects(
        [...l.placed.values()].filter((p) => !but.includes(p.id)).map((p) => p.group),
        true,
      ),
    };
  }
  // of is the thing that a meeting is with.
  of(met) {
    let o = met?.object;
    while (o && !o.userData.id) o = o.parent;
    return o ? o.userData.id : "";
  }
  // hits are the things under the pointer that can be taken, the nearest first, up to what
  // stops it: ground, a wall that is locked, a mountain. What is seen is what is hit.
  hits(e) {
    const list = [];
    for (const m of this.beneath(e.clientX, e.clientY).met) {
      const id = this.of(m),
        p = stores.dress.placement(id),
        el = !p && this.v.now.elements.find((x) => x.id === id);
      if (
        p
          ? stores.dress.locked(p) || Math.max(p.dims.x, p.dims.z) >= large
          : !el || el.locked || land.includes(el.kind)
      )
        break;
      if (!list.includes(id)) list.push(id);
    }
    return list;
  }
  // first is what the pointer is on, and where; at height 0 where it is on nothing.
  first(e) {
    const { ray, met } = this.beneath(e.clientX, e.clientY);
    if (met.length) return { id: this.of(met[0]), at: met[0].point };
    const at = level(ray, 0);
    return at && { id: "", at };
  }
  // take begins to move what is under the pointer when it is selected; false leaves the
  // pointer to the view.
  take(e, click) {
    const id = this.hits(e)[0];
    if (!id || !this.v.sel.includes(id)) return false;
    const held = this.v.sel
      .map((x) => stores.dress.placement(x))
      .filter((p) => p && !stores.dress.locked(p))
      .map((p) => ({ p, at: { ...p.at } }));
    const first = held.find((h) => h.p.id === id);
    if (!first) {
      // a row, a wall: it has no place of its own
      pull(
        this.lens.canvas,
        e,
        () => this.v.say("What is laid out is moved by its points on the plan."),
        (moved, u) => {
          if (moved === false) click(u);
        },
      );
      return true;
    }
    const f = this.lens.frame(),
      r = this.lens.canvas.getBoundingClientRect(),
      [sx, sy] = this.lens.screen(first.at.x, first.at.y, first.at.z);
    const off = { x: r.left + f.x + sx * f.w - e.clientX, y: r.top + f.y + sy * f.h - e.clientY },
      but = held.map((h) => h.p.id);
    let on = "";
    pull(
      this.lens.canvas,
      e,
      (m) => {
        // Its foot goes along with the hand, over whatever carries things there.
        const { ray, met } = this.beneath(m.clientX + off.x, m.clientY + off.y, but);
        const stop = met[0],
          carries = stop && upright(stop),
          at = carries ? stop.point : stop ? null : level(ray, first.at.y);
        if (!at || at.distanceTo(this.lens.viewNow.eye) > 500) return;
        on = carries ? this.of(stop) : "";
        const d = { x: at.x - first.at.x, y: at.y - first.at.y, z: at.z - first.at.z };
        if (m.shiftKey) Math.abs(d.x) > Math.abs(d.z) ? (d.z = 0) : (d.x = 0); // along one axis
        this.v.say(`moved by ${this.v.length(Math.hypot(d.x, d.z))}${on ? ", onto " + this.name(on) : ""}`);
        for (const h of held) {
          h.p.at = { x: h.at.x + d.x, y: h.at.y + d.y, z: h.at.z + d.z };
          this.lens.carry(h.p);
          this.v.plan.shift(h.p);
        }
      },
      (moved, u) => {
        const commands = held.map((h) => ({
          op: "change placement",
          args: { id: h.p.id, patch: { at: { ...h.p.at } } },
        }));
        for (const h of held) h.p.at = h.at;
        if (moved) return this.v.edit(...commands, { op: "put down", args: { ids: but, here: true } });
        return moved === null ? this.v.draw() : click(u);
      },
      4,
    );
    return true;
  }
  name(id) {
    return (stores.dress.placement(id) || this.v.now.elements.find((e) => e.id === id))?.name || "the ground";
  }
  // rings draws what the first of the selected things is turned and scaled by.
  rings(p, box, f) {
    const r = this.reach(p),
      at = (a) => this.lens.screen(p.at.x - Math.sin(a) * r, p.at.y, p.at.z - Math.cos(a) * r),
      to = ([x, y]) => [f.x + x * f.w, f.y + y * f.h];
    let d = "",
      s = "";
    for (let i = 0; i <= 48; i++) {
      if (!this.ahead(p, (i / 24) * Math.PI, r)) {
        d = "";
        break;
      }
      const [x, y] = to(at((i / 24) * Math.PI));
      d += `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`;
    }
    if (d) {
      const [x, y] = to(at(p.yaw));
      s +=
        `<path d='${d}' fill='none' stroke='#d6e935' stroke-dasharray='2 5'/>` +
        `<g data-ring='${p.id}' class='pointer-events-auto cursor-grab'>` +
        `<circle cx='${x}' cy='${y}' r='6' fill='#d6e935' stroke='#161616'/>` +
        `<circle cx='${x}' cy='${y}' r='13' fill='transparent'/><title>drag to turn</title></g>`;
    }
    const [, , c, b] = box;
    return (
      s +
      `<g data-grow='${p.id}' class='pointer-events-auto cursor-nwse-resize'>` +
      `<rect x='${c - 5}' y='${b - 5}' width='10' height='10' fill='#161616' stroke='#d6e935' ` +
      `stroke-width='2'/><rect x='${c - 13}' y='${b - 13}' width='26' height='26' fill='transparent'/>` +
      `<title>drag to scale</title></g>`
    );
  }
  reach(p) {
    return 0.6 * Math.max(p.dims.x, p.dims.z) + 0.15;
  }
  ahead(p, a, r) {
    return (
      new Vector3(p.at.x - Math.sin(a) * r, p.at.y, p.at.z - Math.cos(a) * r).applyMatrix4(
        this.lens.camera.matrixWorldInverse,
      ).z < -0.05
    );
  }
  // press takes the handles; false where there is none.
  press(e) {
    const ring = e.target.closest("[data-ring]"),
      grow = e.target.closest("[data-grow]");
    if (ring) this.turn(e, stores.dress.placement(ring.dataset.ring));
    else if (grow) this.grow(e, stores.dress.placement(grow.dataset.grow));
    else return false;
    e.stopPropagation();
    return true;
  }
  turn(e, p) {
    const kept = p.yaw,
      way = (m) => {
        const q = level(this.beneath(m.clientX, m.clientY).ray, p.at.y);
        return q && Math.atan2(-(q.x - p.at.x), -(q.z - p.at.z));
      },
      from = way(e),
      px = this.pixels(p);
    if (from === null) return;
    pull(
      this.lens.over,
      e,
      (m) => {
        const w = way(m);
        if (w === null) return;
        const [yaw, tip] = this.v.plan.turned(kept, from, w, this.reach(p) * px, m.altKey);
        this.v.say(`turned to ${tip}`);
        p.yaw = yaw;
        this.lens.carry(p);
        this.v.plan.shift(p);
      },
      (moved) => {
        const yaw = p.yaw;
        p.yaw = kept;
        if (moved) stores.dress.change(p.id, { yaw });
        else this.v.draw();
      },
      0,
    );
  }
  grow(e, p) {
    const f = this.lens.frame(),
      r = this.lens.canvas.getBoundingClientRect(),
      [sx, sy] = this.lens.screen(p.at.x, p.at.y, p.at.z),
      foot = { x: r.left + f.x + sx * f.w, y: r.top + f.y + sy * f.h };
    const far = (m) => Math.hypot(m.clientX - foot.x, m.clientY - foot.y),
      from = Math.max(far(e), 8),
      kept = { ...p.scale },
      dims = { ...p.dims };
    pull(
      this.lens.over,
      e,
      (m) => {
        const tip = this.v.plan.grown(p, kept, dims, far(m) / from, from, m.altKey);
        this.v.say(`${tip}, ${this.v.size(p.dims)}`);
        this.lens.carry(p);
      },
      (moved) => {
        const scale = { ...p.scale };
        p.scale = kept;
        p.dims = dims;
        if (moved) stores.dress.change(p.id, { scale });
        else this.v.draw();
      },
      0,
    );
  }
  // pixels are how many a metre is at a thing's distance.
  pixels(p) {
    const q = new Vector3(p.at.x, p.at.y, p.at.z).applyMatrix4(this.lens.camera.matrixWorldInverse);
    return this.lens.frame().h / (Math.max(-q.z, 0.1) * this.lens.tall);
  }
}

// level is where a ray meets the plane at a height, within a kilometre; null where it
// does not.
function level({ origin: o, direction: d }, y) {
  const t = (y - o.y) / d.y;
  return t > 0 && t < 1000 ? new Vector3(o.x + d.x * t, y, o.z + d.z * t) : null;
}

// upright says whether a surface carries what is put on it: it is flatter than 45°.
function upright(met) {
  if (!met.face) return false;
  const n = met.face.normal.clone(),
    world = met.object.matrixWorld.clone();
  if (met.instanceId !== undefined) {
    const own = world.clone();
    met.object.getMatrixAt(met.instanceId, own);
    world.multiply(own);
  }
  return Math.abs(n.applyNormalMatrix(new Matrix3().getNormalMatrix(world)).y) > Math.SQRT1_2;
}

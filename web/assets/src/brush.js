// Wear is brushed on in the lens view: each touch is a ball about what the pointer meets.
import { stores } from "./stores.js";

const most = 2000; // touches of one wear: core/surface's MaxSpots

// areaOf is the area of the plan that placements cover, as core/surface's Wear says it; null of none.
export function areaOf(list) {
  const [xs, zs] = [[], []];
  for (const { world: m, box } of list)
    for (const x of [box.min.x, box.max.x])
      for (const y of [box.min.y, box.max.y])
        for (const z of [box.min.z, box.max.z]) {
          xs.push(m[0] * x + m[4] * y + m[8] * z + m[12]);
          zs.push(m[2] * x + m[6] * y + m[10] * z + m[14]);
        }
  if (!xs.length) return null;
  const [x0, x1, z0, z1] = [Math.min(...xs), Math.max(...xs), Math.min(...zs), Math.max(...zs)],
    round = (x) => Number(x.toFixed(3));
  return {
    areaX: round((x0 + x1) / 2),
    areaZ: round((z0 + z1) / 2),
    areaWide: Math.max(round(x1 - x0), 0.01),
    areaDeep: Math.max(round(z1 - z0), 0.01),
    areaTurn: 0,
  };
}

export function brushing() {
  return {
    brush: "", // the wear that is brushed on
    brushTakes: false, // it is taken away
    brushRadius: 0.3, // metres
    brushWith(e, takes) {
      const same = this.brush === e.id && this.brushTakes === takes;
      this.brush = same ? "" : e.id;
      this.brushTakes = takes;
      if (!this.brush) return;
      stores.v.say(`drag over things in the lens view: ${e.name} is ${takes ? "taken away" : "put on"}`);
    },
    brushWords(e, takes) {
      if (this.brush === e.id && this.brushTakes === takes) return "stop brushing";
      return takes ? "brush away" : "brush on";
    },
    spotsWords(e) {
      const n = (e.spec.spots || []).length;
      return n ? `brushed on by ${stores.v.count(n, "touch", "touches")}` : "";
    },
    everywhere(e) {
      return stores.v.does("change element", { id: e.id, patch: { spec: { spots: [] } } });
    },
    // paint follows the pointer from a press until it is let go; false: nothing is brushed now.
    paint(lens, e) {
      const wear = this.wears.find((x) => x.id === this.brush);
      if (!wear) return false;
      const spots = [...(wear.spec.spots || [])],
        had = spots.length,
        circles = [],
        touch = (p) => {
          const { met } = lens.grasp.beneath(p.clientX, p.clientY),
            at = met[0]?.point,
            last = spots.length > had && spots.at(-1).at;
          if (!at || spots.length >= most) return;
          if (last && Math.hypot(at.x - last.x, at.y - last.y, at.z - last.z) < this.brushRadius / 2) return;
          spots.push({ at: { x: at.x, y: at.y, z: at.z }, radius: Number(this.brushRadius), take: this.brushTakes });
          circles.push(this.circle(lens, p, at));
        },
        done = () => {
          for (const [what, f] of [
            ["pointermove", touch],
            ["pointerup", done],
            ["pointercancel", done],
          ])
            lens.canvas.removeEventListener(what, f);
          circles.forEach((c) => c.remove());
          if (spots.length > had)
            stores.v.does("change element", { id: wear.id, patch: { spec: { spots } } });
        };
      lens.canvas.setPointerCapture(e.pointerId);
      lens.canvas.addEventListener("pointermove", touch);
      lens.canvas.addEventListener("pointerup", done);
      lens.canvas.addEventListener("pointercancel", done);
      touch(e);
      return true;
    },
    // circle shows a touch while the pointer is down.
    circle(lens, p, at) {
      const box = lens.canvas.getBoundingClientRect(),
        far = lens.camera.position.clone().setFromMatrixPosition(lens.camera.matrix).distanceTo(at),
        r = Math.min((this.brushRadius / far / lens.tall) * lens.frame().h, 400),
        c = document.createElement("div");
      c.className = "absolute rounded-full border border-act pointer-events-none";
      for (const [key, x] of [
        ["left", p.clientX - box.left - r],
        ["top", p.clientY - box.top - r],
        ["width", 2 * r],
        ["height", 2 * r],
      ])
        c.style.setProperty(String(key), `${x}px`);
      lens.canvas.parentElement.append(c);
      return c;
    },
  };
}

// What the hand does on the plan: it picks, drags and snaps.
import { make, halo } from "./svg.js";
import { pull } from "./drag.js";
import { handles, setHandle, drawnBy } from "./elements.js";
import { stores } from "./stores.js";

export const handled = (Sheet) =>
  class extends Sheet {
    // near says whether some of a thing may lie on the sheet.
    near(p, w, h) {
      const far = Math.hypot(
        Math.max(-p.box.min.x, p.box.max.x) * p.scale.x,
        Math.max(-p.box.min.z, p.box.max.z) * p.scale.z,
      );
      return Math.abs(p.at.x - this.x) - far < w / 2 / this.px && Math.abs(p.at.z - this.z) - far < h / 2 / this.px;
    }
    // others are what a thing in the hand can be measured and snapped to.
    others(held) {
      const [w, h] = this.size();
      return this.order.filter(
        (q) =>
          !held.includes(q.id) && Math.max(q.dims.x, q.dims.z) < 30 && this.near(q, w, h) && stores.dress.visible(q),
      );
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
        this.over.append(
          make("line", { x1, y1, x2, y2, stroke: "#161616", "stroke-dasharray": "4 3", "data-gap": d }),
        );
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
      if (mark && (!id || e.shiftKey)) return stores.dress.showSnag(mark.dataset.snag);
      if (point) return this.dragPoint(point.dataset.point, from, follow);
      if (camera) return this.dragCamera(camera.dataset.camera, from, follow);
      if (dial) {
        const p = stores.dress.placement(dial.dataset.dial),
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
            if (moved) stores.dress.change(p.id, { yaw: a });
            else v.draw();
          },
        );
      }
      if (corner) {
        const p = stores.dress.placement(corner.dataset.corner),
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
            if (moved) stores.dress.change(p.id, { scale });
            else v.draw();
          },
        );
      }
      if (id && !(e.shiftKey && !e.target.closest("[data-id]"))) {
        const whole = stores.dress.members(id);
        if (e.shiftKey) return stores.dress.select(id, true);
        const had = v.sel.includes(id),
          again = had && v.sel.length === whole.length;
        if (!had) stores.dress.select(id);
        const held = v.sel
          .map((x) => stores.dress.placement(x))
          .filter((p) => p && !stores.dress.locked(p))
          .map((p) => ({ p, at: { ...p.at } }));
        const first = held.find((h) => h.p.id === id) || held[0];
        if (!held.length) return mark ? stores.dress.showSnag(mark.dataset.snag) : undefined;
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
            if (mark) return stores.dress.showSnag(mark.dataset.snag);
            // A click on what is selected already goes through to what lies beneath.
            if (again) stores.dress.select(this.pick(e, id) || id);
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
            stores.dress.selectAll(
              this.order
                .filter(
                  (p) =>
                    stores.dress.visible(p) &&
                    !stores.dress.locked(p) &&
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
          this.soon();
        },
        (moved) => {
          if (moved === null) {
            this.x = x;
            this.z = z;
            this.draw();
          } else if (!moved) stores.dress.select("");
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
            .map((n) => n.closest("[data-id]")?.getAttribute("data-id"))
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
            if (moved) stores.shoot.view({ eye });
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
            if (moved) stores.shoot.view({ yaw });
            else v.draw();
          },
        );
      }
    }
  };

// What the plan draws: things and elements, their names and measures, camera, sun and scale.
import { make, halo } from "./svg.js";
import { handles } from "./elements.js";
import { stores } from "./stores.js";

const deg = 180 / Math.PI;

export const drawing = (Sheet) =>
  class extends Sheet {
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
      this.width = w;
      this.height = h;
      for (const p of this.order) this.label(p);
      for (const id of this.v.sel) {
        const p = stores.dress.placement(id);
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
      const fr = stores.film.raw,
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
      for (const c of stores.film.tab === "paper" ? stores.film.room.rows || [] : [])
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
    stand(p) {
      return `translate(${p.at.x} ${p.at.z}) rotate(${-p.yaw * deg})`;
    }
    // marks are the snags that are somewhere, as a triangle each.
    marks(st) {
      const [w, h] = this.size(),
        taken = new Map(); // by places of the sheet: of many snags in one the first is drawn, and tells of the others
      for (const s of st.snags) {
        if (!s.at || !s.key) continue;
        const [x, y] = this.screen(s.at.x, s.at.z),
          on = stores.dress.snag === s.key;
        if (!on && (Math.abs(x) > w / 2 + 20 || Math.abs(y) > h / 2 + 20)) continue;
        const place = `${Math.round(x / 12)} ${Math.round(y / 12)}`,
          first = taken.get(place);
        if (first && !on) {
          first.more++;
          first.title.textContent = `${first.what}, and ${first.more} more here`;
          continue;
        }
        const title = make("title", {}, s.what);
        taken.set(place, { title, what: s.what, more: 0 });
        const g = make("g", { transform: `translate(${x} ${y})`, "data-snag": s.key, style: "cursor:pointer" });
        g.append(
          make("path", {
            d: "M0 -9L8 5H-8Z",
            fill: on ? "#a82508" : "#cbcbcb",
            stroke: "#a82508",
            "stroke-width": 2,
          }),
          title,
        );
        if (on)
          g.append(
            make(
              "text",
              { y: 22, "text-anchor": "middle", "font-size": 12, class: "n", fill: "#a82508", ...halo },
              stores.dress.snagNumber(s),
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
            `${e.name}: ${e.error || e.said?.split(";")[0] || (e.laying ? "being laid out" : "")}`,
          ),
        );
      }
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
      const piece = this.pieces.get(p.piece);
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
    footprint(p, { faint, locked, on, rough, o }) {
      const g = make("g", {
        "data-id": p.id,
        transform: this.stand(p),
        opacity: faint ? 0.3 : 1,
        style: locked ? "pointer-events:none" : "cursor:move",
      });
      const land = Math.max(p.dims.x, p.dims.z) > 30,
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
      if (!rough) g.append(scale); // else its box is all that is to be seen of it
      if (!land)
        g.append(
          make("rect", {
            x: p.box.min.x * p.scale.x,
            y: p.box.min.z * p.scale.z,
            width: p.dims.x,
            height: p.dims.z,
            fill: rough ? "#9b9b9b" : "transparent",
          }),
        );
      else g.style.pointerEvents = "none";
      return g;
    }
    label(p) {
      const w = Math.max(p.dims.x, p.dims.z) * this.px;
      if (w < 26 || p.dims.x > 200 || !stores.dress.visible(p) || this.v.sel.includes(p.id)) return;
      const [x, y] = this.screen(p.at.x, p.at.z),
        half = p.name.length * 2.8 + 4;
      if (Math.abs(x) - half > this.width / 2 || Math.abs(y) - 14 > this.height / 2) return;
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
        g.append(
          make("circle", { cx: 0, cy: 0, r, stroke: "#161616", "stroke-width": 1, "stroke-dasharray": "2 5" }),
        );
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
          [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000].find(
            (k) => k * one * this.px >= 70,
          ) || 10000,
        len = m * one * this.px;
      const x = -w / 2 + 16,
        y = h / 2 - 16;
      this.over.append(
        make("path", { d: `M${x} ${y - 5}V${y}H${x + len}V${y - 5}`, fill: "none", stroke: "#161616" }),
      );
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
  };

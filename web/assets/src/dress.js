// Dress: what the page's store knows about arranging, describing and judging what
// stands in a set.
import { described, toolRows } from "./tools.js";
import { stores } from "./stores.js";

export function dress({ call, post }) {
  return {
    tools: toolRows(),
    tool: "",
    left: "library",
    mix: [],
    apart: [],
    overlay: false,
    snag: "",
    brush: { radius: 1.5, height: 0.3, do: "raise" },
    sortBy: "order",
    naming: "",
    recastBy: "",
    recastFill: false,

    // visible says whether a thing is seen: it is not hidden, nor its layer, and it
    // is among those that are looked at alone.
    layerOf(name) {
      return name ? stores.v.now.elements.find((e) => e.kind === "layer" && e.name === name) : null;
    },
    visible(p) {
      if (
        p.hidden ||
        this.layerOf(p.layer)?.hidden ||
        stores.v.now.set.hide?.includes(p.layer) ||
        stores.v.now.set.view.cutWalls?.includes(p.id)
      )
        return false;
      return !this.apart.length || this.apart.includes(p.id);
    },
    // sight is visible for many things at once: what it goes by is looked up once.
    sight() {
      const st = stores.v.now,
        gone = st.elements.filter((e) => e.kind === "layer" && e.hidden).map((e) => e.name),
        layers = new Set([...gone, ...(st.set.hide || [])]),
        cut = new Set(st.set.view.cutWalls || []),
        apart = new Set(this.apart);
      return (p) =>
        !p.hidden && !(p.layer && layers.has(p.layer)) && !cut.has(p.id) && (!apart.size || apart.has(p.id));
    },
    locked(p) {
      return p.locked || Boolean(this.layerOf(p.layer)?.locked);
    },
    // members are what moves with a thing: all of its group that is not open.
    members(id) {
      const p = stores.v.now.placements.find((x) => x.id === id),
        groups = new Map(stores.v.now.elements.filter((e) => e.kind === "group").map((e) => [e.id, e]));
      if (!p?.group) return [id];
      let top = "";
      for (let g = groups.get(p.group), n = 0; g && n < 100; g = groups.get(g.spec.parent), n++)
        if (!g.spec.open) top = g.id;
      if (!top) return [id];
      const inside = (q) => {
        for (let g = groups.get(q), n = 0; g && n < 100; g = groups.get(g.spec.parent), n++)
          if (g.id === top) return true;
        return false;
      };
      return [
        id,
        ...stores.v.now.placements.filter((q) => q.id !== id && q.group && inside(q.group)).map((q) => q.id),
      ];
    },
    selectAll(ids) {
      stores.v.sel = [...new Set(ids.flatMap((id) => this.members(id)))];
      stores.v.draw();
    },
    get element() {
      return stores.v.st?.elements.find((e) => e.id === stores.v.sel[0]) || null;
    },
    get thing() {
      return this.one || this.element;
    },
    get fields() {
      const e = this.element;
      return (e && stores.v.schema?.elements[e.kind]) || [];
    },
    // toolsHere are the rows of tools of the step that is open.
    get toolsHere() {
      return this.tools.filter((row) => stores.v.on("dress") || row[0] === "light");
    },
    get lamps() {
      return (stores.v.st?.elements || []).filter((e) => e.kind === "lamp" || e.kind === "fixture");
    },
    get lamp() {
      return this.lamps.includes(this.element) ? this.element : null;
    },
    // aimAt turns a lamp towards the subject, or else what the camera is focused on.
    aimAt(e) {
      const set = stores.v.st.set,
        p = this.placement(set.view.subject) || this.placement(set.view.focusOn);
      if (!p) return stores.v.say("Choose the shot's subject in Frame first, or pull the aim on the plan.", true);
      return this.setFigure(e, "to", { x: p.at.x, y: p.at.y + p.dims.y / 2, z: p.at.z });
    },
    get layers() {
      return (stores.v.st?.elements || []).filter((e) => e.kind === "layer");
    },

    // Drawing
    useTool(tool) {
      this.tool = this.tool === tool ? "" : tool;
      if (this.tool !== "lamp") this.inHand = null;
      stores.v.plan.tools.start();
      if (this.tool) stores.v.say(`${this.tool}: ${stores.v.plan.tools.hint()}`);
    },
    async drawn(tool, pts, box) {
      const flat = { box: 1, slab: 0.2, cylinder: 1, wedge: 1, steps: 0.85, wall: 2.5, card: 3 };
      if (tool === "person")
        return stores.v.does("place", { standIn: "person", at: { ...pts[0], y: 0 }, rest: true });
      if (flat[tool]) {
        if (!box) return stores.v.does("place", { standIn: tool, at: { ...pts[0], y: 0 }, rest: true });
        if (tool === "wall" || tool === "card") {
          if (box.length < 0.01) return stores.v.say("It has no length; drag it longer.", true);
          return stores.v.does("place", {
            standIn: tool,
            at: { x: box.x, y: 0, z: box.z },
            rest: true,
            patch: { yaw: box.yaw, size: { x: box.length, y: flat[tool], z: tool === "wall" ? 0.2 : 0.01 } },
          });
        }
        return stores.v.does("place", {
          standIn: tool,
          at: { x: box.x, y: 0, z: box.z },
          rest: true,
          patch: { size: { x: box.w, y: flat[tool], z: box.d } },
        });
      }
      if (tool === "rail" || tool === "ride") return stores.film.drawnWay(tool, pts);
      if (tool === "face") return stores.v.does("face", { ids: stores.v.sel, at: { ...pts[0], y: 0 } });
      const e = this.element;
      if (tool === "brush") {
        if (e?.kind === "drift")
          return stores.v.does("stroke", {
            id: e.id,
            stroke: { take: this.brush.do === "take", points: pts, radius: this.brush.radius },
          });
        if (e?.kind !== "ground") return stores.v.say("Select a ground or a drift to brush on.", true);
        return stores.v.does("stroke", {
          id: e.id,
          stroke: { do: this.brush.do, points: pts, radius: this.brush.radius, height: this.brush.height },
        });
      }
      if (tool === "keep out") {
        if (e?.kind !== "drift") return stores.v.say("Select the drift that is to stay out of there.", true);
        return stores.v.does("change element", {
          id: e.id,
          patch: { spec: { keep: [...(e.spec.keep || []), pts] } },
        });
      }
      if (tool === "flat") {
        if (e?.kind !== "ground") return stores.v.say("Select the ground that is to be flattened.", true);
        return stores.v.does("stroke", {
          id: e.id,
          stroke: { do: "pad", points: pts, radius: this.brush.radius, height: this.brush.height },
        });
      }
      const mix = this.mix.length ? this.mix : this.one?.piece ? [this.one.piece] : [];
      if (["row", "grid", "circle", "drift"].includes(tool) && !mix.length)
        return stores.v.say("Tick one or more pieces of the library first: they are what it lays.", true);
      const wide = Math.max(
        ...mix.map((id) => {
          const p = stores.v.st.pieces.find((x) => x.id === id);
          return p ? Math.max(p.size.x, p.size.z) : 1;
        }),
        0.05,
      );
      const around = {
        wide: Math.round(wide * 1.5 * 20) / 20 || 0.05,
        density: Number((0.45 / (wide * wide)).toPrecision(2)),
        level: 0,
        high: (p) => this.topAt(p),
        lamp: (p) => this.hung(p, 0),
        hung: (p) => this.topAt(p, 2.2), // a bulb hangs on what stands there, or as high as in a room
      };
      const [kind, spec] = described(tool, pts, box, mix, around);
      const name = this.inHand?.name || tool;
      return stores.v.does("add element", { kind, name, spec: spec });
    },
    // topAt is where a line is tied at a place: to the top of what stands there.
    topAt(p, else_ = 3) {
      let y = 0;
      for (const q of stores.v.now.placements)
        if (
          this.visible(q) &&
          Math.max(q.dims.x, q.dims.z) < 30 &&
          Math.hypot(q.at.x - p.x, q.at.z - p.z) < Math.max(q.dims.x, q.dims.z, 0.4)
        )
          y = Math.max(y, q.at.y + q.dims.y);
      return Math.round((y || else_) * 100) / 100;
    },

    // Elements: the numbers that they are described by
    setFigure(e, k, value) {
      return stores.v.does("change element", { id: e.id, patch: { spec: { [k]: value } } });
    },
    usePieces(e) {
      return this.setFigure(
        e,
        "pieces",
        this.mix.map((piece) => ({ piece, weight: e.spec.pieces?.find((s) => s.piece === piece)?.weight || 1 })),
      );
    },
    setWeight(e, i, weight) {
      return this.setFigure(
        e,
        "pieces",
        e.spec.pieces.map((s, k) => (k === i ? { ...s, weight } : s)),
      );
    },
    pieceName(id) {
      return stores.v.st.pieces.find((p) => p.id === id)?.name || "?";
    },
    async cardPicture(e, file) {
      if (!file) return;
      try {
        const r = await call(`/api/productions/${stores.v.st.production.id}/picture`, { method: "POST", body: file });
        const size = await createImageBitmap(file);
        await stores.v.does("change element", {
          id: e.id,
          patch: { spec: { shape: "picture", picture: r.blob, height: (e.spec.width * size.height) / size.width } },
        });
      } catch (err) {
        stores.v.say(err.message, true);
      }
    },
    wallOf: 0,
    // opening puts a door or a window into a wall of a room, in its middle.
    opening(e, kind) {
      const o = e.spec.outline,
        w = Math.min(this.wallOf, o.length - 1),
        a = o[w],
        b = o[(w + 1) % o.length],
        long = Math.hypot(b.x - a.x, b.z - a.z);
      const base = {
        wall: w,
        along: Math.round(long * 50) / 100,
        bays: 1,
        pitch: 0,
        floors: 1,
        storey: 0,
        piece: "",
      };
      const made = {
        door: { width: 0.9, sill: 0, head: 2.1, door: "left", out: false, frame: 0.05 },
        window: { width: 1.2, sill: 0.9, head: 2.1, door: "", out: false, frame: 0.05 },
        gap: { width: 1.6, sill: 0, head: 2.2, door: "", out: false, frame: 0 },
      }[kind];
      return this.setFigure(e, "openings", [...(e.spec.openings || []), { ...base, ...made }]);
    },
    setOpening(e, i, patch) {
      return this.setFigure(
        e,
        "openings",
        e.spec.openings.map((o, k) => (k === i ? { ...o, ...patch } : o)),
      );
    },
    dropOpening(e, i) {
      return this.setFigure(
        e,
        "openings",
        e.spec.openings.filter((_, k) => k !== i),
      );
    },
    // bays repeats an opening along its wall as often as fits.
    bays(e, i) {
      const o = e.spec.openings[i],
        pts = e.spec.outline,
        a = pts[o.wall],
        b = pts[(o.wall + 1) % pts.length],
        long = Math.hypot(b.x - a.x, b.z - a.z),
        pitch = o.width * 2;
      const n = Math.max(Math.floor((long - o.width) / pitch) + (long > o.width ? 1 : 0), 1),
        storey = 3,
        floors = Math.max(Math.floor((e.spec.height - o.head) / storey) + 1, 1);
      return this.setOpening(e, i, { bays: n, pitch, along: (long - (n - 1) * pitch) / 2, floors, storey });
    },

    // Arranging
    act(what, more = {}) {
      return stores.v.sel.length ? stores.v.does(what, { ids: this.placed(), ...more }) : null;
    },
    placed() {
      return stores.v.sel.filter((id) => this.placement(id));
    },
    seed: 1,
    tumble() {
      return this.fall(this.seed++);
    },
    // fall lets what is selected fall until it rests: that goes on beside all else, and
    // ends in one edit.
    async fall(seed = 0) {
      const ids = this.placed();
      if (!ids.length) return stores.v.say("Select what is to settle first.");
      try {
        this.heardSettling(await post(`/api/sets/${document.documentElement.dataset.set}/settle`, { ids, seed }));
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    stopFalling(s) {
      return post(`/api/sets/${document.documentElement.dataset.set}/settle/${s.id}/stop`, {}).catch((e) =>
        stores.v.say(e.message, true),
      );
    },
    heardSettling(m) {
      const list = stores.v.st.settling || [],
        known = list.find((s) => s.id === m.id);
      if (m.say) {
        stores.v.st.settling = list.filter((s) => s.id !== m.id);
        this.over.add(m.id);
        return stores.v.say(m.say);
      }
      if (known) known.progress = Math.max(known.progress, m.progress || 0);
      else if (!this.over.has(m.id))
        stores.v.st.settling = [...list, { id: m.id, name: m.name, progress: m.progress || 0 }];
    },
    over: new Set(), // settlings that are over: word of their beginning may come later
    groupThem() {
      return stores.v.does("group", { ids: this.placed() });
    },
    get groupOf() {
      const g = this.one?.group;
      return (g && stores.v.st.elements.find((e) => e.id === g)) || null;
    },
    openGroup(g, open) {
      return stores.v.does("change element", { id: g.id, patch: { spec: { open } } });
    },
    async keepPiece(g) {
      try {
        const r = await post(`/api/sets/${document.documentElement.dataset.set}/keep`, { group: g.id });
        stores.v.say(`${r.name} is being taken into the library.`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    // again copies what was copied last once more, all of it, by the same way and turn.
    async repeatCopy() {
      const l = this.lastCopy,
        from = l && this.placement(l.from),
        to = l && this.placement(l.to[0]);
      const ids = (l?.to || []).filter((id) => this.placement(id));
      if (!from || !to)
        return stores.v.say("Copy a thing and move the copy first; then it is done again from there.", true);
      const r = await stores.v.does("copy", {
        ids,
        by: { x: to.at.x - from.at.x, y: to.at.y - from.at.y, z: to.at.z - from.at.z },
        turn: to.yaw - from.yaw,
      });
      if (r) {
        this.lastCopy = { from: to.id, to: r.made };
        stores.v.sel = r.made;
        stores.v.draw();
      }
      return r;
    },
    alone() {
      this.apart = this.apart.length ? [] : [...stores.v.sel];
      stores.v.say(this.apart.length ? "Only these are shown. Press o to have all back." : "");
      stores.v.draw();
    },
    // askFits asks how the chosen piece would fit in the place of what is selected, before
    // it is done.
    fits: null,
    fitsOf: "",
    askFits() {
      const ids = this.placed().filter((id) => this.placement(id).standIn && this.placement(id).standIn !== "person"),
        asked = [this.recastBy, this.recastFill, stores.v.st.revision, ...ids].join();
      if (asked === Alpine.raw(this).fitsOf) return;
      Alpine.raw(this).fitsOf = asked;
      if (!this.recastBy || !ids.length) {
        this.fits = null;
        return;
      }
      post(`/api/sets/${document.documentElement.dataset.set}/fits`, {
        piece: this.recastBy,
        fill: this.recastFill,
        ids,
      })
        .then((r) => {
          if (this.fitsOf === asked) this.fits = r;
        })
        .catch(() => {
          if (this.fitsOf === asked) this.fits = null;
        });
    },
    get fitSaid() {
      const f = this.fits || [],
        v = stores.v,
        percent = stores.size.percent;
      if (!f.length) return "";
      if (f.length === 1) return `fits ${percent(f[0].fit)}, × ${v.number(f[0].scale, 2)}: ${v.size(f[0].size)}`;
      return `${f.length} fit ${percent(f.reduce((n, x) => n + x.fit, 0) / f.length)} on average; worst first:`;
    },
    get worstFits() {
      return (this.fits?.length > 1 && this.fits.slice(0, 4)) || [];
    },
    async recast() {
      const ids = this.placed().filter((id) => this.placement(id).standIn);
      const r = await stores.v.does("recast", { ids, piece: this.recastBy, fill: this.recastFill });
      if (r) {
        stores.v.sel = r.made;
        stores.v.draw();
      }
      return r;
    },
    get standIns() {
      return this.placed().some((id) => this.placement(id).standIn && this.placement(id).standIn !== "person");
    },
    selectListed() {
      this.selectAll(this.listed.map(([p]) => p.id));
    },
    setLayer(name) {
      return stores.v.does("layer", { ids: stores.v.sel, layer: name });
    },
    renameAll() {
      return this.naming ? stores.v.does("rename", { ids: this.placed(), pattern: this.naming }) : null;
    },

    // Snags
    snagNumber(s) {
      if (["floating", "sunk", "overlap", "below", "far"].includes(s.kind)) return stores.v.distance(s.number);
      return s.kind === "door"
        ? `${stores.v.number(s.number, 0)}°`
        : s.kind === "hole"
          ? `${stores.v.number(100 * s.number, 1)} %`
          : stores.v.number(s.number, 2);
    },
    // tabMark says at a tab's name how many snags wait there.
    tabMark(t) {
      const n = t === "snags" ? stores.shoot.snags("dress").length : 0;
      return n ? ` △${n}` : "";
    },
    isShown(s) {
      return Boolean(s.key) && this.snag === s.key;
    },
    varyAgain() {
      return this.act("vary", { seed: this.seed++ });
    },
    showSnag(key) {
      const s = stores.v.st.snags.find((x) => x.key === key);
      if (!s) return;
      this.snag = key;
      this.left = "snags";
      stores.v.sel = (s.ids || []).filter(
        (id) => this.placement(id) || stores.v.st.elements.some((e) => e.id === id),
      );
      if (s.at) {
        stores.v.plan.x = s.at.x;
        stores.v.plan.z = s.at.z;
        stores.v.plan.touched = true;
      }
      stores.v.draw();
    },
    meant(s, why = "") {
      return stores.v.does("meant", { snag: s.key, why: why });
    },
    get snagSaid() {
      const m = stores.v.st?.measured;
      return !m
        ? "being measured"
        : m.failed
          ? "not measured"
          : m.revision < stores.v.st.revision
            ? "being measured again"
            : `${m.solids.toLocaleString("en")} things measured, ` +
              `${m.took < 0.1 ? (m.took * 1000).toFixed(0) + " ms" : m.took.toFixed(1) + " s"}`;
    },

    // Budget
    get limit() {
      return stores.v.st?.elements.find((e) => e.kind === "limit") || null;
    },
    setLimit(patch) {
      const l = this.limit;
      return l
        ? stores.v.does("change element", { id: l.id, patch: { spec: patch } })
        : stores.v.does("add element", {
            kind: "limit",
            name: "limit",
            spec: { triangles: 0, instances: 0, megabytes: 0, ...patch },
          });
    },
    get unseen() {
      return (
        stores.v.st?.snags.find((s) => s.kind === "unseen") ||
        stores.v.st?.meant.find((s) => s.kind === "unseen") ||
        null
      );
    },
    get unseenWeight() {
      return (this.unseen?.ids || []).reduce(
        (n, id) => n + (stores.v.st.pieces.find((p) => p.id === this.placement(id)?.piece)?.facts.triangles || 0),
        0,
      );
    },
    lighter(piece, light) {
      return stores.v.does("change piece", { id: piece, patch: { sizing: { light } } });
    },
    get lightened() {
      return (stores.v.st?.pieces || []).filter((p) => p.sizing.light > 0);
    },
    hideUnseen() {
      return stores.v.edit(
        ...(this.unseen?.ids || [])
          .filter((id) => this.placement(id))
          .map((id) => ({ op: "change placement", args: { id, patch: { hidden: true } } })),
      );
    },
  };
}

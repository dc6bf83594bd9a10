// What stands in the set, and the lists that show it.
import { radians } from "./print.js";
import { drawManifest, drawPieces, drawLibrary } from "./lists.js";
import { leave } from "./focus.js";
import { stores } from "./stores.js";

export const placing = {
  get one() {
    return stores.v.st?.placements.find((p) => p.id === stores.v.sel[0]) || null;
  },
  placement(id) {
    const i = stores.v.now.placements.findIndex((p) => p.id === id);
    return i < 0 ? undefined : stores.v.st.placements[i];
  },
  select(id, more) {
    const all = id ? this.members(id) : [];
    if (more)
      stores.v.sel = stores.v.sel.includes(id)
        ? stores.v.sel.filter((x) => !all.includes(x))
        : [...stores.v.sel, ...all.filter((x) => !stores.v.sel.includes(x))];
    else stores.v.sel = all;
    if (!id) this.snag = "";
    stores.v.draw();
  },
  change(id, patch) {
    return stores.v.does("change placement", { id, patch });
  },
  changeAll(patch) {
    return stores.v.sel.length
      ? stores.v.edit(
          ...stores.v.sel.map((id) => ({
            op: this.placement(id) ? "change placement" : "change element",
            args: { id, patch },
          })),
        )
      : null;
  },
  async place(piece, standIn, at, rest = false, here = false) {
    const r = await stores.v.does("place", { piece, standIn, at: at || this.free(), rest, here });
    leave(); // keys now move what was placed, not the list
    if (r) {
      stores.v.sel = r.made;
      stores.v.draw();
    }
  },
  // free is the middle of the plan, or beside what stands there already.
  free() {
    const at = stores.v.plan.middle(),
      wide = (p) => Math.max(p.dims.x, p.dims.z);
    for (let n = 0; n < 200; n++) {
      const p = stores.v.st.placements.find(
        (q) => !q.hidden && wide(q) < 30 && Math.hypot(q.at.x - at.x, q.at.z - at.z) < wide(q) / 2,
      );
      if (!p) break;
      at.x = stores.v.plan.grid(p.at.x + wide(p) / 2 + 0.6);
    }
    return at;
  },
  async copy() {
    const open = stores.v.sel.filter((id) => this.placement(id));
    if (!open.length) return;
    const p = this.one;
    const r = await stores.v.does("copy", { ids: open, by: { x: Math.max(p.dims.x, 0.2), y: 0, z: 0 } });
    if (r) {
      this.lastCopy = { from: open[0], to: r.made };
      stores.v.sel = r.made;
      stores.v.draw();
    }
  },
  remove() {
    return stores.v.sel.length ? stores.v.does("delete", { ids: stores.v.sel }) : null;
  },
  down() {
    return this.act("put down");
  },
  // A key that is held adds up until the edit before it is kept.
  nudge(x, y, z, deg = 0) {
    if (!stores.v.sel.length) return;
    const first = !this.held;
    this.held ||= { x: 0, y: 0, z: 0, yaw: 0 };
    this.held.x += x;
    this.held.y += y;
    this.held.z += z;
    this.held.yaw += radians(deg);
    if (!first) return;
    stores.v.edit(() => {
      const h = this.held;
      this.held = null;
      return stores.v.sel
        .map((id) => this.placement(id))
        .filter((p) => p && !this.locked(p))
        .map((p) => ({
          op: "change placement",
          args: {
            id: p.id,
            patch: { yaw: p.yaw + h.yaw, at: { x: p.at.x + h.x, y: p.at.y + h.y, z: p.at.z + h.z } },
          },
        }));
    });
  },
  turn(deg) {
    this.nudge(0, 0, 0, deg);
  },
  // listed is the manifest: what is found by a name, a kind or a layer, in the
  // order that was asked for.
  get listed() {
    const q = stores.v.search.toLowerCase(),
      st = stores.v.now;
    if (!st) return [];
    const bad = new Map(),
      eye = st.set.view.eye,
      weight = new Map(st.pieces.map((p) => [p.id, p.facts.triangles]));
    for (const s of st.snags) for (const id of s.ids || []) bad.set(id, (bad.get(id) || 0) + 1);
    const list = [
      ...st.placements,
      ...st.elements.filter((e) => !["meant", "limit", "layer", "kept light", "material", "wear"].includes(e.kind)),
    ].filter((p) => [p.name, p.kind, p.standIn, p.layer].some((t) => t?.toLowerCase().includes(q)));
    const by = {
      size: (p) => (p.dims ? Math.max(p.dims.x, p.dims.y, p.dims.z) : 0),
      weight: (p) => weight.get(p.piece) || 0,
      distance: (p) => (p.at ? -Math.hypot(p.at.x - eye.x, p.at.y - eye.y, p.at.z - eye.z) : -Infinity),
      snags: (p) => bad.get(p.id) || 0,
    }[this.sortBy];
    if (by) list.sort((a, b) => by(b) - by(a));
    if (this.sortBy === "name") list.sort((a, b) => a.name.localeCompare(b.name, "en", { numeric: true }));
    const figure = {
      size: (p) => (p.dims ? stores.v.length(by(p)) : ""),
      weight: (p) => (by(p) ? by(p).toLocaleString("en") : ""),
      distance: (p) => (p.at ? stores.v.distance(-by(p)) : ""),
      snags: (p) => by(p) || "",
    }[this.sortBy];
    return list.map((p) => [
      p,
      figure ? figure(p) : p.kind || (p.standIn && p.standIn !== p.name.split(" ")[0] ? p.standIn : ""),
    ]);
  },
  // The long lists are drawn again when one of what they name here changes.
  manifest(list) {
    void [stores.v.st, stores.v.sel.length, stores.v.sel[0], stores.v.search, this.sortBy, this.apart.length];
    drawManifest(list, stores.v);
  },
  pieceList(list) {
    void [stores.v.st, stores.v.piece, stores.v.search];
    drawPieces(list, stores.v);
  },
  library(list) {
    void [stores.v.st, stores.v.search, this.mix.length];
    drawLibrary(list, stores.v);
  },
  get found() {
    const q = stores.v.search.toLowerCase();
    return (stores.v.now?.pieces || []).filter((p) => p.name.toLowerCase().includes(q));
  },
};

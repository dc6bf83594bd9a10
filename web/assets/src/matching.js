// A picture laid over the view, and what is marked in it.
import { call } from "./ask.js";
import { stores } from "./stores.js";

export const matching = {
  async overlayPicture(file) {
    if (!file) return;
    try {
      const r = await call(`/api/productions/${stores.v.st.production.id}/picture`, { method: "POST", body: file }),
        size = await createImageBitmap(file);
      await stores.v.edit(
        {
          op: "change set",
          args: {
            patch: {
              match: {
                picture: r.blob,
                opacity: 0.5,
                wipe: 1,
                under: false,
                points: [],
                lines: [],
                pixels: 0,
                each: [],
              },
            },
          },
        },
        { op: "change set", args: { patch: { view: { aspect: size.width / size.height } } } },
      );
      this.matching.wide = size.width;
    } catch (e) {
      stores.v.say(e.message, true);
    }
  },
  get match() {
    return stores.v.st?.set.match || null;
  },
  // setMatch lays a patch, or what a function makes of the marks as they are when
  // its turn comes, over them. What was solved is no longer true.
  setMatch(patch) {
    return stores.v.edit(() => {
      const m = stores.v.now.set.match || { picture: "", opacity: 0.5, wipe: 1, under: false, points: [], lines: [] };
      const change = typeof patch === "function" ? { ...patch(m), pixels: 0, each: [] } : patch;
      return { op: "change set", args: { patch: { match: stores.v.now.set.match ? change : { ...m, ...change } } } };
    });
  },
  noMatch() {
    return stores.v.does("change set", { patch: { match: null } });
  },
  markPoint(p) {
    return this.setMatch((m) => ({ points: [...(m.points || []), p] }));
  },
  markLine(l) {
    return this.setMatch((m) => ({ lines: [...(m.lines || []), l] }));
  },
  movePoint(i, at) {
    return this.setMatch((m) => ({
      points: m.points.map((p, n) => (n === i ? { ...p, at: { ...p.at, ...at } } : p)),
    }));
  },
  dropMark(kind, i) {
    return this.setMatch((m) => ({ [kind]: m[kind].filter((_, n) => n !== i) }));
  },
  solve(by) {
    const m = this.matching,
      upright = m.upright && m.upright.length === 4 ? m.upright : [];
    return stores.v.does("match", {
      by,
      focalGiven: m.given,
      width: m.wide,
      height: upright.length ? m.height : 0,
      upright,
      ...(upright.length && m.stands ? { foot: m.foot } : {}),
    });
  },
};

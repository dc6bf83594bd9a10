// What a production has at hand to light by: lamps of every kind, which are hung where one clicks, and panoramas.
import { call, post } from "./ask.js";
import { pull } from "./drag.js";
import { stores } from "./stores.js";

const base = () => `/api/productions/${stores.v.st.production.id}/light`;

export function shelving() {
  return {
    shelf: null, // once it was asked for
    inHand: null, // the lamp of it that is hung next
    turningSky: false, // the hand turns the panorama in the lens view
    async openShelf() {
      try {
        this.shelf = await call(base());
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    lampPicture: (k) => `${base()}/lamps/${k.id}`,
    blobPicture: (p) => `/blobs/${p.picture}?as=png`,
    // take has a lamp of the shelf in hand: it is hung with the next click on the plan or in the lens view.
    take(k) {
      this.inHand = this.inHand === k ? null : k;
      if (this.tool !== (this.inHand ? "lamp" : "")) this.useTool("lamp");
      if (this.inHand)
        stores.v.say(`${k.name}: click where it hangs, on the plan or in the lens view; Escape puts it back`);
    },
    // hung is what is hung of the lamp in hand above a place: its height and aim are those of its kind, over that.
    hung(p, high) {
      const l = this.inHand?.lamp;
      if (!l) return null;
      const at = { x: p.x, y: high + l.at.y, z: p.z },
        aim = { x: l.to.x - l.at.x, y: l.to.y - l.at.y, z: l.to.z - l.at.z };
      return { ...l, at, to: { x: at.x + aim.x, y: at.y + aim.y, z: at.z + aim.z } };
    },
    // hangAt hangs the lamp in hand over a place of the lens view.
    async hangAt(p) {
      const { name } = this.inHand,
        r = await stores.v.does("add element", { kind: "lamp", name, spec: this.hung(p, p.y) });
      this.inHand = null;
      if (this.tool === "lamp") this.useTool("");
      if (r?.made?.length) this.select(r.made[0]);
    },
    async keepLamp(e) {
      try {
        await post(`${base()}/lamps`, { name: e.name, lamp: e.spec });
        await this.openShelf();
        stores.v.say(`${e.name} lies on the shelf.`);
      } catch (err) {
        stores.v.say(err.message, true);
      }
    },
    async unshelve(k) {
      try {
        await post(`${base()}/${k.id}/away`, {});
        await this.openShelf();
        stores.v.say(`${k.name} was taken from the shelf; what is lit by it stays as it is.`);
      } catch (err) {
        stores.v.say(err.message, true);
      }
    },
    // lightBy lights the set by a panorama; seeBehind only shows it behind.
    lightBy: (p) => stores.shoot.light({ sky: "panorama", panorama: p.blob }),
    seeBehind: (p) => stores.shoot.light({ behind: "picture", picture: p.blob }),
    byWords(p) {
      const l = stores.v.st.set.light,
        uses = [];
      if (l.sky === "panorama" && l.panorama === p.blob) uses.push("it lights the set");
      if (l.behind === "picture" && l.picture === p.blob) uses.push("it is seen behind");
      return uses.join(", ");
    },
    // bring takes in a panorama and does with it what is asked for.
    async bring(file, then) {
      if (!file) return;
      stores.v.say(`Reading ${file.name} …`);
      try {
        const url = `/api/productions/${stores.v.st.production.id}/panorama?name=${encodeURIComponent(file.name)}`,
          r = await call(url, { method: "POST", body: file });
        await then(r.panorama);
        if (this.shelf) await this.openShelf();
        stores.v.say(r.note ? `${file.name}: ${r.note}` : "");
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    get turnsSky() {
      const l = stores.v.st.set.light;
      return l.behind === "picture" || (l.sky === "panorama" && (!l.behind || l.behind === "sky"));
    },
    turnSkyOn() {
      this.turningSky = !this.turningSky;
      stores.v.say(this.turningSky ? "Drag the sky in the lens view; press again when it lies right." : "");
    },
    // turnSky turns the panorama that is seen with the hand.
    turnSky(lens, e) {
      const l = stores.v.st.set.light,
        key = l.behind === "picture" ? "turned" : "turn",
        f = lens.frame(),
        wide = 2 * Math.atan((lens.window.right - lens.window.left) / 2),
        by = (m) => (-(m.clientX - e.clientX) / f.w) * wide; // to the right: clockwise seen from above
      pull(
        lens.canvas,
        e,
        (m) => {
          lens.scene.backgroundRotation.y = Math.PI / 2 + by(m);
          if (key === "turn") lens.scene.environmentRotation.y = Math.PI / 2 + by(m);
          lens.moved = performance.now();
          lens.invalidate();
          stores.v.say(`turned by ${stores.v.number((by(m) * 180) / Math.PI, 0)}°`);
        },
        (moved, m) => {
          if (moved) return stores.shoot.light({ [key]: l[key] + by(m) }); // it lies so until it comes as it is now
          lens.scene.backgroundRotation.y = lens.scene.environmentRotation.y = Math.PI / 2;
          return lens.invalidate();
        },
      );
      return true;
    },
  };
}

// Lamps at Light: how they burn in the shot, what they light, those that pieces may carry, lights that are kept, and
// rigs.
import { call } from "./ask.js";
import { stores } from "./stores.js";

export function lighting() {
  return {
    get lampFields() {
      return this.fields.filter((f) => f.part !== "links");
    },
    // linkedWords say what a lamp lights.
    linkedWords(e) {
      const names = (ids) => ids.map((id) => stores.film.nameOf(id)).join(", ");
      if (e.spec.only?.length) return `lights only ${names(e.spec.only)}`;
      if (e.spec.except?.length) return `lights all but ${names(e.spec.except)}`;
      return "lights all: select it, and with Shift what it is to light";
    },
    // aims says whether a lamp can be aimed at a thing of the set.
    aims: (e) => e.kind === "lamp" && e.spec.shape !== "ball",
    // outOn puts a fixture out on the things that are selected beside it, or lights it on all.
    outOn(e, some) {
      const ids = some ? stores.v.sel.filter((id) => id !== e.id) : [];
      if (some && !ids.length)
        return stores.v.say("Select the fixture first, and then with Shift the things on which it is out.", true);
      return stores.v.does("change element", { id: e.id, patch: { spec: { out: ids } } });
    },
    // link tells a lamp what else is selected: to light that alone, or not.
    link(e, way) {
      const ids = way ? stores.v.sel.filter((id) => id !== e.id) : [];
      if (way && !ids.length)
        return stores.v.say("Select the lamp first, and then with Shift the things that are meant.", true);
      return stores.v.does("change element", {
        id: e.id,
        patch: { spec: { only: way === "only" ? ids : [], except: way === "except" ? ids : [] } },
      });
    },
    async photometry(e, file) {
      if (!file) return;
      try {
        const url = `/api/productions/${stores.v.st.production.id}/photometry?name=${encodeURIComponent(file.name)}`;
        const r = await call(url, { method: "POST", body: file });
        const spec = { shape: "measured", file: r.blob, fileName: r.name, output: Math.round(r.lumens), in: "lm" };
        await stores.v.does("change element", { id: e.id, patch: { spec } });
        if (r.doubts.length) stores.v.say(`${r.name}: ${r.doubts.join("; ")}`);
      } catch (err) {
        stores.v.say(err.message, true);
      }
    },
    // burnOf is how a lamp burns in the shot.
    burnOf(e) {
      return stores.v.st.set.light.lamps?.[e.id] || { on: e.spec.on, dim: e.spec.dim };
    },
    // burn lights a lamp in the shot, or puts it out, or dims it.
    burn(e, change) {
      return stores.shoot.light({ lamps: { [e.id]: { ...this.burnOf(e), ...change } } });
    },
    dimOf(e) {
      return 100 * this.burnOf(e).dim;
    },
    dimTo(e, percent) {
      return this.burn(e, { dim: percent / 100 });
    },
    get keptLights() {
      return (stores.v.st?.elements || []).filter((e) => e.kind === "kept light");
    },
    fittings: null, // lamps that pieces may carry, once they were looked for
    async findFixtures() {
      stores.v.say("Looking for lamps in the pieces that stand here …");
      try {
        this.fittings = await call(`/api/sets/${stores.v.st.set.id}/fixtures`);
        stores.v.say(this.fittings.length ? "" : "Nothing in the pieces that stand here shines or is called a lamp.");
      } catch (err) {
        stores.v.say(err.message, true);
      }
    },
    async acceptFixture(f) {
      const spec = { ...f.lamp, piece: f.piece };
      await stores.v.does("add element", { kind: "fixture", name: `${f.name} of ${f.of}`, spec });
      this.fittings = this.fittings.filter((x) => x !== f);
    },
    async readRig(file) {
      if (!file) return;
      try {
        await call(`/api/sets/${stores.v.st.set.id}/rig`, { method: "POST", body: file });
        await stores.v.reload();
        stores.v.say(`The set is lit as ${file.name} says.`);
      } catch (err) {
        stores.v.say(`${file.name}: ${err.message}`, true);
      }
    },
  };
}

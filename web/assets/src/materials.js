// The shelf of materials: those that all productions keep, and finishes that everybody has at hand.
import { call, handIn, post, setID } from "./ask.js";
import { bare } from "./surfacing.js";
import { stores } from "./stores.js";

export function materialShelf() {
  return {
    finishes: null, // what everybody has at hand, once it was asked for
    kept: null, // what productions keep, once it was asked for
    finding: "",
    markedOnly: false,
    editing: null, // a copy of the kept one that is changed
    gathering: "", // what is being taken in
    async openShelf() {
      try {
        this.finishes ||= await call("/api/finishes");
        this.kept = await call("/api/materials");
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    get foundFinishes() {
      if (this.markedOnly) return [];
      return (this.finishes || []).filter((f) => this.sought(f.name, f.group));
    },
    get foundKept() {
      return (this.kept || []).filter(
        (s) =>
          (!this.markedOnly || s.marked) &&
          this.sought(s.name, ...s.tags, s.production, s.credit.author, s.credit.licence),
      );
    },
    // sought tells whether all words that are sought occur in some texts.
    sought(...texts) {
      const text = texts.join(" ").toLowerCase();
      return this.finding.toLowerCase().split(" ").every((w) => text.includes(w));
    },
    keptWords(s) {
      const { tile } = s.material,
        told = [s.marked && "favourite", tile > 0 && `one repeat ${stores.v.length(tile)}`];
      if (s.home !== this.home) told.push(s.production);
      return told.filter(Boolean).join(", ");
    },
    get home() {
      return stores.v.st.production.id;
    },
    creditWords(s) {
      const { author, licence } = s.credit;
      return [author && `by ${author}`, licence || "licence not known"].filter(Boolean).join(", ");
    },
    finishSample(f) {
      return `/api/finishes/${f.id}/sample${this.flat ? "?flat=1" : ""}`;
    },
    finishWords: (f) => (f.material.tile > 0 ? `one repeat ${stores.v.length(f.material.tile)}` : f.group),
    async holdFinish(f) {
      try {
        this.take(await call(`/api/finishes/${f.id}`), f.name);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    holdShelved(s) {
      this.take(s.material, s.name);
    },
    // keep puts the material of the chosen surface on the shelf.
    async keep() {
      const m = this.made,
        s = this.one;
      if (!s) return stores.v.say("Select a thing first: what it is made of is kept.", true);
      try {
        const at = { thing: m.thing, piece: m.piece, surface: s.surface },
          material = bare(await post(`/api/sets/${setID()}/takeoff`, at)),
          name = this.worn?.name || `${s.surface || "surface"} of ${m.name}`;
        await post(`/api/productions/${this.home}/materials`, { name, material, tags: [] });
        stores.v.say(`${name} is on the shelf, in every production`);
        await this.openShelf();
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    async mark(s) {
      await this.change({ ...s, marked: !s.marked });
    },
    async change(s) {
      try {
        await post(`/api/productions/${s.home}/materials`, s);
        this.editing = null;
        await this.openShelf();
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    edit(s) {
      this.editing = JSON.parse(JSON.stringify({ ...s, words: s.tags.join(", ") }));
      this.editing.material.tile = Number(s.material.tile.toPrecision(5));
    },
    save() {
      const { words, ...s } = this.editing;
      return this.change({ ...s, tags: words.split(",") });
    },
    async away(s) {
      try {
        await post(`/api/productions/${s.home}/materials/${s.id}/away`, {});
        this.editing = null;
        stores.v.say(`${s.name} is off the shelf; what is made of it stays as it is`);
        await this.openShelf();
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    // gather makes materials of a folder of maps, by the names of its files.
    async gather(list) {
      const files = [...list].filter((f) => f.type.startsWith("image/"));
      if (!files.length) return stores.v.say("There is no picture in this folder: PNG and JPEG are taken.", true);
      try {
        const handed = [];
        for (const file of files) {
          this.gathering = `taking in ${handed.length + 1} of ${files.length}: ${file.name}`;
          handed.push({ blob: await handIn(this.home, file), name: file.webkitRelativePath || file.name });
        }
        const { made, notes } = await post(`/api/productions/${this.home}/materials/gathered`, { files: handed }),
          names = made.map((s) => s.name).join(", ");
        stores.v.say([`On the shelf: ${names}. Say how large one repeat is.`, ...notes].join(" "));
        await this.openShelf();
      } catch (e) {
        stores.v.say(e.message, true);
      } finally {
        this.gathering = "";
      }
    },
  };
}

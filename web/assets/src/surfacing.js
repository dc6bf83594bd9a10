// Surface: what the selected thing is made of, where a change of it counts, materials that are taken off and put on.
import { call, post, setID } from "./ask.js";
import { stores } from "./stores.js";
import { throwOf } from "./thrown.js";

// bare is a material without where it counts.
export function bare(m) {
  const copy = { ...m };
  delete copy.on;
  return copy;
}

// named tells places on which materials count apart.
const named = (on) => `${on.piece || ""} ${on.thing || ""} ${on.surface || ""} ${facesKey(on.faces)}`;
const facesKey = (f) => (f ? [f.by, f.angle, f.at.x, f.at.y, f.at.z].join() : "");

export function surfacing() {
  return {
    made: null, // what the selected thing is made of
    madeOf: "", // of which thing, at which revision
    chosen: "", // the surface that is looked at
    chosenScope: "", // where a change counts: one thing, all of its piece, or wherever the material is; "": as usual
    held: null, // the material in the hand: { material, name }
    flat: false, // samples are shown as a square metre
    // lookAt asks what the selected thing is made of, when that changed.
    async lookAt() {
      const v = stores.v,
        id = v.sel.includes(this.thing) ? this.thing : v.sel.at(-1) || "",
        key = `${id} ${v.st?.revision}`;
      if (!v.on("surface") || this.madeOf === key) return;
      this.madeOf = key;
      if (!id) {
        this.made = null;
        return;
      }
      try {
        const made = await call(`/api/sets/${setID()}/surfaces?thing=${id}&piece=${this.pieceHit || ""}`);
        if (this.madeOf !== key) return;
        this.made = made;
        if (!made.list.some((s) => s.surface === this.chosen)) this.chosen = made.list[0]?.surface || "";
      } catch (e) {
        if (this.madeOf !== key) return;
        this.made = null;
        v.say(e.message, true);
      }
    },
    get one() {
      const list = this.made?.list || [],
        key = facesKey(this.faces);
      return (
        list.find((s) => s.surface === this.chosen && facesKey(s.faces) === key) ||
        list.find((s) => s.surface === this.chosen && !s.faces) ||
        null
      );
    },
    faces: null, // those that were picked alone: core/surface's Faces
    facesSaid: "",
    faceWay: "", // what is picked with a face: "" all of its surface
    faceAngle: 30,
    choose(s) {
      this.chosen = s.surface;
      this.faces = s.faces || null;
      this.facesSaid = "";
    },
    keyOf: (s) => `${s.surface} ${facesKey(s.faces)}`,
    chose(s) {
      return s.surface === this.chosen && facesKey(s.faces) === facesKey(this.faces);
    },
    // pickFaces takes those at a place of the lens view.
    async pickFaces(lens, met, id) {
      const it = lens.placed.get(id);
      if (!it?.inner || !stores.dress.placement(id)) {
        this.faces = null;
        return stores.v.say("Faces are picked on things that were placed, one by one.", true);
      }
      const p = it.group.worldToLocal(met.point.clone()).applyMatrix4(it.inner),
        round = (x) => Number(x.toFixed(5));
      this.faces = { at: { x: round(p.x), y: round(p.y), z: round(p.z) }, by: this.faceWay };
      this.faces.angle = this.faceWay === "angle" ? Number(this.faceAngle) : 0;
      this.facesSaid = "";
      const { x, y, z } = this.faces.at,
        at = new URLSearchParams({ thing: id, x, y, z, by: this.faceWay, angle: String(this.faces.angle) });
      try {
        const told = await call(`/api/sets/${setID()}/faces?${at}`);
        this.facesSaid = `${stores.v.count(told.count, "face")}, ${stores.v.number(told.area, 3)} m²`;
      } catch (e) {
        this.faces = null;
        stores.v.say(e.message, true);
      }
    },
    get materials() {
      return (stores.v.st?.elements || []).filter((e) => e.kind === "material");
    },
    get wears() {
      return (stores.v.st?.elements || []).filter((e) => e.kind === "wear");
    },
    get wearFields() {
      return (stores.v.schema?.elements.wear || []).filter((f) => f.part !== "links");
    },
    addWear() {
      return stores.v.does("add element", { kind: "wear", name: "wear", spec: { wet: 0.5 } });
    },
    get materialFields() {
      return stores.v.schema?.elements.material || [];
    },
    fieldsOn(part) {
      return this.materialFields.filter((f) => f.part === part);
    },
    parts: ["look", "clear", "layers", "glow", "pictures"],
    sampleOf(m) {
      return m ? `/api/sample?m=${encodeURIComponent(JSON.stringify(bare(m)))}${this.flat ? "&flat=1" : ""}` : null;
    },
    // sampleFor is the picture of what a surface is made of; of one that is as it came, with its own pictures.
    sampleFor(s) {
      if (!s) return null;
      if (s.by || !s.maps.length) return this.sampleOf(s.material);
      const { thing, piece } = this.made,
        at = new URLSearchParams({ thing, piece, surface: s.surface, flat: this.flat ? "1" : "" });
      return `/api/sets/${setID()}/sample?${at}`;
    },
    sampleDone: "", // of which there is a picture already: a quick one comes first
    get sampleNow() {
      const url = this.sampleFor(this.one);
      return url && (this.sampleDone === url ? url : `${url}&quick=1`);
    },
    sampleCame() {
      this.sampleDone = this.sampleFor(this.one);
    },
    nameOf(s) {
      return s.surface || "all of it";
    },
    byWords(s) {
      const e = this.materials.find((x) => x.id === s.by);
      if (e) return e.name;
      return s.maps.length ? `as it came, with ${stores.v.count(s.maps.length, "picture")}` : "as it came";
    },
    // worn is the material of the set that the chosen surface is made of; null: it is as it came.
    get worn() {
      if (this.faces && !this.one?.faces) return null; // faces that have none of their own yet
      return this.materials.find((e) => e.id === this.one?.by) || null;
    },
    // scope is where a change of a value counts that is made now.
    get scope() {
      if (this.faces && !this.one?.faces) return this.chosenScope === "piece" && this.made?.piece ? "piece" : "one";
      if (this.chosenScope === "worn" || !this.chosenScope) return this.worn ? "worn" : "one";
      return this.chosenScope === "piece" && !this.made?.piece ? "one" : this.chosenScope;
    },
    // on is where a material counts that is put on now.
    on(name = this.chosen) {
      const { thing, piece } = this.made,
        on = this.scope === "piece" ? { piece, surface: name } : { thing, surface: name };
      return this.faces ? { ...on, faces: this.faces } : on;
    },
    get countsWords() {
      if (!this.made) return "";
      const { name, piece, linked } = this.made;
      if (this.scope === "worn") {
        const { on } = this.worn.spec,
          pieces = on.filter((x) => !x.thing).length,
          things = on.length - pieces,
          told = [things && stores.v.count(things, "thing"), pieces && `all of ${stores.v.count(pieces, "piece")}`];
        return `wherever ${this.worn.name} is: on ${told.filter(Boolean).join(" and ") || "nothing"}`;
      }
      if (this.faces) {
        const said = this.facesSaid || "the picked faces";
        return `on ${said} of ${this.scope === "piece" ? `all ${linked} that show its piece` : `${name} alone`}`;
      }
      if (!piece) return `on ${name} alone`;
      return this.scope === "piece"
        ? `on all ${linked} that show its piece`
        : `on ${name} alone, of ${linked} that show its piece`;
    },
    get wornWords() {
      return this.worn ? `wherever ${this.worn.name} is` : "";
    },
    get linkedWords() {
      return this.made?.piece ? `all ${this.made.linked} of its piece` : "";
    },
    // hold takes the material of a surface off, into the hand.
    async hold(name = this.chosen) {
      const m = this.made;
      if (!m) return stores.v.say("Select a thing first: what it is made of is taken off it.", true);
      const s = name === this.chosen ? this.one : m.list.find((x) => x.surface === name);
      if (s?.faces) return this.holdKept(this.materials.find((x) => x.id === s.by));
      try {
        const material = await post(`/api/sets/${setID()}/takeoff`, {
          thing: m.thing,
          piece: m.piece,
          surface: name,
        });
        const kept = this.materials.find((e) => e.id === s?.by);
        this.take(bare(material), kept?.name || `${name || "surface"} of ${m.name}`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    // holdOf takes the material of a surface off a piece in the library.
    async holdOf(d, name) {
      const of = stores.v.st.pieces.find((x) => x.id === d.id)?.name || "the piece";
      try {
        const material = await post(`/api/sets/${setID()}/takeoff`, { thing: "", piece: d.id, surface: name });
        this.take(bare(material), `${name || "surface"} of ${of}`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    // holdSelected takes off what most of the selected thing is made of, where no surface is chosen: in the plan too.
    async holdSelected() {
      const id = stores.v.sel.at(-1);
      if (!id) return stores.v.say("Select a thing first: what it is made of is taken off it.", true);
      try {
        this.made = await call(`/api/sets/${setID()}/surfaces?thing=${id}&piece=`);
        this.madeOf = "";
        const most = this.made.list.reduce((a, b) => (b.share > a.share ? b : a), this.made.list[0]);
        if (most) await this.hold(most.surface);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    // putOnSelected puts what is held on all of each thing that is selected.
    putOnSelected() {
      const on = stores.v.sel.map((thing) => ({ thing }));
      if (!on.length) return stores.v.say(`Select what ${this.held.name} is to be on.`, true);
      return stores.v.does("put on", { name: this.held.name, material: this.held.material, on });
    },
    take(material, name) {
      this.held = { material, name };
      const how = stores.v.on("dress") ? "select what it is to be on and press r" : "click what it is to be on";
      stores.v.say(`${name} is in the hand: ${how}; Escape puts it back`);
    },
    // holdKept takes a material of the set into the hand.
    holdKept(e) {
      this.take(bare(e.spec), e.name);
    },
    putOn(on = this.on()) {
      if (!this.held) return null;
      return stores.v.does("put on", { name: this.held.name, material: this.held.material, on: [on] });
    },
    asItCame() {
      const { thing, piece } = this.made,
        here = (x) =>
          (x.thing ? x.thing === thing : x.piece === piece) &&
          (!x.surface || x.surface === this.chosen) &&
          facesKey(x.faces) === facesKey(this.faces);
      return stores.v.does("as it came", { on: (this.worn?.spec.on || []).filter(here) });
    },
    // toggle shows what the surface was made of before, and again what it is made of.
    toggle() {
      const id = this.one?.by || this.shownOld;
      const e = this.materials.find((x) => x.id === id);
      if (!e) return stores.v.say("This surface is as it came: there is nothing else to look at.", true);
      this.shownOld = e.hidden ? "" : e.id;
      return stores.v.does("change element", { id: e.id, patch: { hidden: !e.hidden } });
    },
    shownOld: "",
    // throwFrom throws the pictures of the chosen surface onto it as the lens sees it now.
    throwFrom() {
      const { world, window } = stores.v.st.lens;
      return this.alter({ lay: "thrown from a camera", thrown: throwOf(world, window) });
    },
    put(key, x) {
      return this.alter({ [key]: x });
    },
    // alter changes values of the chosen surface's material: what is as it came gets one of its own.
    async alter(values) {
      const s = this.one;
      if (!s) return null;
      const e = this.worn,
        target = this.on(),
        alone = e?.spec.on.length === 1 && named(e.spec.on[0]) === named(target);
      if (e && (this.scope === "worn" || alone))
        return stores.v.does("change element", { id: e.id, patch: { spec: values } });
      try {
        const { thing, piece } = this.made,
          material = bare(await post(`/api/sets/${setID()}/takeoff`, { thing, piece, surface: s.surface }));
        Object.assign(material, values);
        return await stores.v.does("put on", {
          name: `${s.surface || "surface"} of ${this.made.name}`,
          material,
          on: [target],
        });
      } catch (err) {
        stores.v.say(err.message, true);
        return null;
      }
    },
    // write takes a colour as people write it.
    async write(key, input) {
      try {
        const r = await call(`/api/color?text=${encodeURIComponent(input.value)}`);
        await this.put(key, r.color);
      } catch (e) {
        stores.v.say(e.message, true);
        input.focus();
      }
    },
    // hit is what the pointer meets in the lens view: a thing, and the surface there.
    hit(lens, e) {
      if (this.paint(lens, e)) return true;
      const { met } = lens.grasp.beneath(e.clientX, e.clientY);
      if (!met.length) return false;
      const o = met[0].object,
        id = lens.grasp.of(met[0]),
        name = [o.material].flat()[0]?.name || "";
      if (!id) return false;
      this.pieceHit = o.userData.piece || "";
      this.chosen = name;
      if (this.held) {
        const piece = o.userData.piece || stores.dress.placement(id)?.piece || "";
        if (!this.faceWay)
          this.putOn(this.chosenScope === "piece" && piece ? { piece, surface: name } : { thing: id, surface: name });
      }
      this.faces = null;
      if (this.faceWay) this.pickFaces(lens, met[0], id);
      this.madeOf = "";
      this.thing = id;
      stores.dress.select(id);
      this.lookAt();
      return true;
    },
    pieceHit: "",
    thing: "", // what was clicked: of a group that is selected, the one
  };
}

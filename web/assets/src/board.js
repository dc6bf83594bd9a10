// The board: pictures that a set is guided by, the palette taken from them, and what in the picture strays from it.
import { call, handIn, post, setID } from "./ask.js";
import { drawPulled, pictureOf } from "./pulled.js";
import { stores } from "./stores.js";

export function boarding() {
  return {
    against: null, // the picture held against the palette, once it was asked for
    pullBy: 0.5,
    ticked: [], // keys of what is to be pulled
    boardBeside: localStorage.boardBeside === "yes", // the board is seen beside the lens view
    boardLarge: "", // the picture of it that is seen large
    get board() {
      return (stores.v.st?.elements || []).find((e) => e.kind === "board") || null;
    },
    boardPicture: (p) => `/blobs/${p.blob}?as=png`,
    // hang puts pictures on the board, which is made when there is none, and takes the palette anew.
    async hang(files) {
      const list = [...files].filter((f) => f.type.startsWith("image/") || /\.tga$/i.test(f.name));
      if (!list.length) return stores.v.say("These are no pictures: PNG, JPEG, WebP and TGA hang on a board.", true);
      try {
        const pictures = [...(this.board?.spec.pictures || [])];
        for (const file of list) {
          stores.v.say(`Reading ${file.name} …`);
          const blob = await handIn(stores.v.st.production.id, file);
          if (!pictures.some((p) => p.blob === blob)) pictures.push({ blob, name: file.name.slice(0, 100) });
        }
        await this.keepBoard(pictures, this.board?.spec.colors || 6);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    async keepBoard(pictures, colors) {
      const of = pictures.map((p) => p.blob).join(","),
        palette = pictures.length ? await call(`/api/palette?of=${of}&colors=${colors}`) : [],
        spec = { pictures, colors, palette };
      this.against = null;
      if (this.board) return stores.v.does("change element", { id: this.board.id, patch: { spec } });
      return stores.v.does("add element", { kind: "board", name: "board", spec });
    },
    // arranged keeps the pictures in another order, or by other names: the palette stays.
    arranged(pictures) {
      return stores.v.does("change element", { id: this.board.id, patch: { spec: { pictures } } });
    },
    nameTo(p, name) {
      const { pictures } = this.board.spec;
      return this.arranged(pictures.map((x) => (x.blob === p.blob ? { ...x, name: name.trim() || p.name } : x)));
    },
    // moveTo puts a picture where another hangs.
    moveTo(blob, at) {
      const { pictures } = this.board.spec,
        from = pictures.findIndex((x) => x.blob === blob);
      if (from < 0 || from === at || at < 0 || at >= pictures.length) return null;
      const list = pictures.filter((x) => x.blob !== blob);
      list.splice(at, 0, pictures[from]);
      return this.arranged(list);
    },
    // dropped hangs what was dragged where the picture at a place hangs: one of the board, or files.
    dropped(e, at) {
      const blob = e.dataTransfer.getData("hung");
      return blob ? this.moveTo(blob, at) : this.hang(e.dataTransfer.files);
    },
    get hangsBeside() {
      return this.boardBeside && this.board && stores.v.on("frame dress surface light");
    },
    besideOn() {
      this.boardBeside = !this.boardBeside;
      localStorage.boardBeside = this.boardBeside ? "yes" : "no";
      this.boardLarge = "";
    },
    largeTo(p) {
      this.boardLarge = this.boardLarge === p.blob ? "" : p.blob;
    },
    takeDown(p) {
      const { pictures, colors } = this.board.spec;
      return this.keepBoard(
        pictures.filter((x) => x.blob !== p.blob),
        colors,
      );
    },
    async colorsTo(n) {
      try {
        await this.keepBoard(this.board.spec.pictures, n);
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    swatchWords: (s) => `${s.color}, ${stores.v.number(100 * s.share, 1)} %`,
    barOf: (s) => ({ width: `${100 * s.share}%`, background: s.color }),
    inColor: (color) => ({ background: color }),
    async holdAgainst() {
      stores.v.say("Looking at the picture …");
      try {
        this.against = await call(`/api/sets/${setID()}/held?board=${this.board.id}`);
        this.ticked = this.against.strays.slice(0, 3).map(this.strayKey);
        this.inPicture = await pictureOf(this.against);
        stores.v.say("");
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
    inPicture: null, // what is held against it, as numbers: see pulled.js
    strayKey: (s) => `${s.thing} ${s.surface}`,
    get tickedStrays() {
      return this.against.strays.filter((s) => this.ticked.includes(this.strayKey(s)));
    },
    // showPulled draws the picture with what is ticked pulled, about.
    showPulled(canvas) {
      const { inPicture, ticked, against } = this;
      if (!inPicture || !against) return;
      drawPulled(
        canvas,
        inPicture,
        against.strays.map((s) => (ticked.includes(this.strayKey(s)) ? [s.color, this.pulledColor(s)] : null)),
      );
    },
    // pulledColor is what a colour would be, about: mixed with the nearest by the share, as the browser mixes in OKLab.
    pulledColor(s) {
      return `color-mix(in oklab, ${s.nearest} ${100 * this.pullBy}%, ${s.color})`;
    },
    get accentWords() {
      const { louder } = this.against;
      if (!louder.length) return "the one accent: nothing vies with it";
      return `the accent; ${stores.v.count(louder.length, "surface vies", "surfaces vie")} with it`;
    },
    strayWords(s) {
      const n = stores.v.number;
      return `${n(s.off, 1)} off, ${n(100 * s.share, 1)} %`;
    },
    // pull brings surfaces towards the palette, as one edit.
    async pull(strays) {
      try {
        const commands = [];
        for (const s of strays) {
          const material = await post(`/api/sets/${setID()}/pulled`, { stray: s, share: Number(this.pullBy) }),
            on = [{ thing: s.thing, surface: s.surface }];
          delete material.on;
          commands.push({ op: "put on", args: { name: `${s.surface} of ${s.name}, pulled`, material, on } });
        }
        await stores.v.edit(...commands);
        await this.holdAgainst();
      } catch (e) {
        stores.v.say(e.message, true);
      }
    },
  };
}

// Intake: what arrives, which of it is taken, and what is decided about a
// piece: its parts, maps, repairs and credit.
import { until } from "./ask.js";
import { stores } from "./stores.js";

// self-contained files arrive each on its own, others belong together.
const alone = /\.(zip|7z|tar|tgz|gz|xz|txz|bz2|tbz2|zst|rar|glb|stl|ply|usdz)$/i;

// walk lists the files of dropped folders with their paths.
async function walk(entry, base, into) {
  if (entry.isFile) {
    into.push({ file: await new Promise((ok, no) => entry.file(ok, no)), path: base + entry.name });
    return;
  }
  const reader = entry.createReader();
  for (;;) {
    // folders are read in portions
    const some = await new Promise((ok, no) => reader.readEntries(ok, no));
    if (!some.length) return;
    for (const e of some) await walk(e, `${base}${entry.name}/`, into);
  }
}

export function intake(Alpine, { call, post, upload }) {
  Alpine.data("intake", () => ({
    modes: ["arrivals", "library", "supplier"],
    mode: "arrivals",
    over: false,
    find: "",
    arrival: "",
    choosing: null,
    chosen: {},
    renew: {},
    d: null,
    tab: "Parts",
    picked: [],
    newName: "",
    cell: null,
    channel: 0,
    found: "",
    leaving: null,
    filter: { licence: "", format: "", weight: "", size: "", price: "", where: "", marked: false },
    shelf: [],
    goods: [],
    goodsSay: "",
    offerNow: null,
    asked: 0,
    answered: 0,

    init() {
      this.$watch("$store.v.st", () => this.refresh());
    },
    get p() {
      return stores.v.st?.pieces.find((x) => x.id === this.d?.id) || null;
    },
    get tabs() {
      return ["Parts", "Maps", "Repairs", "Credit", ...(this.d?.news ? ["News"] : [])];
    },
    get formats() {
      return [...new Set((stores.v.st?.pieces || []).map((x) => x.facts.format))].sort();
    },
    get helpersOut() {
      return (this.d?.parts || []).filter((x) => x.helper && !x.kept);
    },
    get helpersWords() {
      const out = this.helpersOut;
      return (
        `${out.length}${out.length > 1 ? " parts were" : " part was"} left out as a help of the program ` +
        `that made the file: ${out.map((x) => x.label).join(", ")}`
      );
    },
    keepHelpers() {
      return this.decide({ op: "keep", parts: this.helpersOut.map((x) => x.key) });
    },
    get keptWords() {
      return `${this.d.parts.filter((x) => x.kept).length} of ${this.d.parts.length} parts kept`;
    },
    pickAll(on) {
      this.picked = on ? this.d.parts.map((x) => x.key) : [];
    },
    joinPicked() {
      this.decide({ op: "join", parts: this.picked, name: this.newName });
      this.picked = [];
    },
    get nothingOpen() {
      return !this.choosing && !this.d && !this.offerNow;
    },
    isOpen(id) {
      return Boolean(this.d) && stores.v.piece === id;
    },
    foundWords: (a) => `${stores.v.count((a.found || []).length, "model")} in it`,
    emptyWords: (a) =>
      a.pictures && !a.found?.length
        ? `${stores.v.count(a.pictures, "picture")}: maps for a piece`
        : "its pieces belong to a newer version now",
    sizeWords: (size) => [size.x, size.y, size.z].map((n) => stores.v.number(n, 3)).join(" × "),
    get levelsWords() {
      const each = (l) => `${l.triangles.toLocaleString("en")} (within ${stores.v.number(l.off, 1)} mm)`;
      return `lighter versions: ${this.p.levels.map(each).join(", ")}`;
    },
    get cameWords() {
      const { cameras, lights } = this.d;
      return [cameras && stores.v.count(cameras, "camera"), lights && stores.v.count(lights, "light")]
        .filter(Boolean)
        .join(" and ");
    },
    get tagWords() {
      return (this.p.tags || []).join(", ");
    },
    tag(text) {
      const tags = text
        .split(",")
        .map((t) => t.trim())
        .filter(Boolean);
      return this.patch({ tags });
    },
    get withPictures() {
      return stores.v.st.arrivals.filter((a) => a.pictures);
    },
    // The maps of a surface: what a cell of their table shows.
    isCell(s, m) {
      return this.cell?.surface === s.key && this.cell.role === m.role;
    },
    cellLook(s, m) {
      if (m.state === "missing" || m.state === "unread") return "border-snag text-snag";
      return this.isCell(s, m) ? "border-act" : "border-line hint";
    },
    cellTitle: (m) => m.name + (m.say ? `: ${m.say}` : ""),
    cellWords: (m) => ({ missing: "△ missing", unread: "△ not readable" })[m.state] || m.state || "·",
    unmapCell() {
      this.decide({ op: "unmap", surface: this.cell.surface, role: this.cell.role });
      this.cell = null;
    },
    // What a download or the supplier has.
    isBarred(f) {
      return Boolean(f.error) || (this.isTaken(f) && !this.renew[f.path]);
    },
    mapsWords(f) {
      if (!f.maps) return "no maps";
      if (f.missing) return `△ ${f.missing} of its ${f.maps} maps are not there`;
      return f.maps > 1 ? `all ${f.maps} maps are there` : "its map is there";
    },
    renewBy(f, piece) {
      this.renew[f.path] = piece;
      if (piece) this.chosen[f.path] = true;
    },
    chooseAll() {
      for (const f of this.choosing.found) if (!f.error) this.chosen[f.path] = true;
    },
    openOffer(x) {
      this.offerNow = x;
      this.d = null;
      this.choosing = null;
    },
    termsOf(x) {
      return (x.licence || "licence not known") + (x.currency ? `, ${this.priceOf(x)}` : "");
    },
    priceOf: (x, none = "free") => (x.price ? `${x.price.toFixed(2)} ${x.currency}` : none),
    formatsWords: (x) => `${x.licence}, ${x.formats.map((f) => f.format).join(", ")}`,
    get arrivals() {
      const q = this.find.toLowerCase();
      return [...(stores.v.st?.arrivals || [])]
        .reverse()
        .filter(
          (a) => a.name.toLowerCase().includes(q) || this.piecesOf(a).some((x) => x.name.toLowerCase().includes(q)),
        );
    },
    piecesOf(a) {
      return (stores.v.st?.pieces || []).filter((x) => x.arrival === a.id);
    },
    arrivalOf: (p) => (stores.v.st?.arrivals || []).find((a) => a.id === p?.arrival) || null,
    nameOf(id) {
      return stores.v.st?.pieces.find((x) => x.id === id)?.name || "";
    },
    megabytes: (n) => (n < 1e5 ? `${Math.ceil(n / 1e3)} kB` : `${(n / 1e6).toFixed(n < 1e7 ? 2 : 0)} MB`),
    say(text, bad) {
      stores.v.say(text, bad);
    },

    show(mode) {
      this.mode = mode;
      this.find = "";
      this.search();
    },
    async search() {
      // An answer that comes after that to a later question is dropped; but one to the same
      // question is shown until the later one comes, however often it is asked anew.
      const turn = ++this.asked,
        q = { find: this.find },
        mode = this.mode,
        filter = { ...this.filter };
      const counts = () =>
        turn > this.answered &&
        mode === this.mode &&
        q.find === this.find &&
        JSON.stringify(filter) === JSON.stringify(this.filter);
      try {
        if (this.mode === "library") {
          const wanted = new URLSearchParams({ ...filter, marked: String(filter.marked), ...q });
          const shelf = await call(`/api/sets/${stores.v.st.set.id}/shelf?${wanted}`);
          if (counts()) {
            this.answered = turn;
            this.shelf = shelf;
          }
        }
        if (this.mode === "supplier") {
          const goods = await call(`/api/supplier?${new URLSearchParams(q)}`);
          if (counts()) {
            this.answered = turn;
            this.goods = goods;
            this.goodsSay = goods.length ? "" : "Nothing of that name is on offer.";
          }
        }
      } catch (e) {
        if (turn === this.asked) {
          this.goodsSay = e.message;
          this.say(e.message, true);
        }
      }
    },
    // refresh follows what the server announced.
    async refresh() {
      if (this.choosing) this.choosing = stores.v.st.arrivals.find((a) => a.id === this.choosing.id) || null;
      if (this.choosing && this.choosing.state === "done" && !this.stay) {
        const mine = this.piecesOf(this.choosing);
        this.choosing = null;
        if (mine.length) await this.openPiece(mine[mine.length - 1].id);
      }
      if (this.d) await this.openPiece(this.d.id, true);
      if (this.mode === "library") this.search();
    },
    async openPiece(id, again) {
      if (!stores.v.st.pieces.some((x) => x.id === id)) {
        this.d = null;
        return;
      }
      try {
        const d = again
          ? await until(
              () => call(`/api/pieces/${id}`),
              () => this.d?.id === id,
            )
          : await call(`/api/pieces/${id}`);
        if (!d) return;
        if (again && this.d?.id !== id) return; // another was opened meanwhile
        if (!again) {
          this.picked = [];
          this.cell = null;
          this.found = "";
          this.choosing = null;
          this.offerNow = null;
          if (d.lacks) this.tab = "Maps";
        }
        if (this.tab === "News" && !d.news) this.tab = "Parts";
        this.d = d;
        if (this.cell)
          this.cell = {
            surface: this.cell.surface,
            ...d.surfaces.find((s) => s.key === this.cell.surface)?.cells.find((c) => c.role === this.cell.role),
          };
        stores.v.piece = id;
      } catch (e) {
        this.say(e.message, true);
      }
    },
    openArrival(a) {
      this.arrival = a.id;
      this.d = null;
      this.offerNow = null;
      this.choosing = null;
      this.stay = false;
      if (a.state === "choose") this.choose(a);
      else if (this.piecesOf(a).length) this.openPiece(this.piecesOf(a)[0].id);
    },
    choose(a) {
      this.choosing = a;
      this.chosen = Object.fromEntries(a.found.map((f) => [f.path, f.proposed]));
      this.renew = Object.fromEntries(a.found.map((f) => [f.path, f.sure ? f.renews : ""]));
    },
    // olderOf are the pieces that a model may be declared the newer version of.
    olderOf(f) {
      return stores.v.st.pieces
        .filter((x) => x.arrival !== this.choosing.id)
        .sort((x, y) => Number(y.id === f.renews) - Number(x.id === f.renews) || x.name.localeCompare(y.name));
    },
    // again opens what was chosen from before.
    again(a) {
      this.arrival = a.id;
      this.d = null;
      this.choose(a);
      this.stay = true;
      this.chosen = {};
      this.renew = {};
    },
    isTaken(f) {
      return (this.choosing?.taking || []).some((t) => t.source === f.path);
    },
    async takeChosen() {
      const a = this.choosing,
        paths = a.found.filter((f) => this.chosen[f.path] && !f.error).map((f) => f.path);
      const twice = paths.find((x) => this.renew[x] && paths.some((y) => y !== x && this.renew[y] === this.renew[x]));
      if (twice)
        return this.say(`${this.nameOf(this.renew[twice])} can follow one of these models only: choose which.`, true);
      const renew = Object.fromEntries(
        a.found.filter((f) => this.chosen[f.path] && this.renew[f.path]).map((f) => [f.path, this.renew[f.path]]),
      );
      this.stay = false;
      await this.do(() => post(`/api/arrivals/${a.id}/take`, { paths, renew }));
    },
    async act(what, a) {
      await this.do(() => post(`/api/arrivals/${a.id}/${what}`, {}));
    },
    // leave asks what goes with an arrival before it is taken away.
    async leave(a) {
      try {
        this.leaving = { id: a.id, ...(await call(`/api/arrivals/${a.id}/uses`)) };
      } catch (e) {
        this.say(e.message, true);
      }
    },
    leavingSays(a) {
      const u = this.leaving,
        n = stores.v.count;
      if (u?.id !== a.id) return "";
      if (!u.pieces.length) return `Nothing was made of ${a.name}. It lies in the bin for 30 days.`;
      const stands = [
        u.things && n(u.things, "placement"),
        u.elements && `${n(u.elements, "row, drift or line", "rows, drifts or lines")}`,
      ]
        .filter(Boolean)
        .join(" and ");
      return (
        `With it ${u.pieces.length > 1 ? "go" : "goes"} ` +
        `${u.pieces.join(", ")}${stands ? `, and ${stands} in ${u.sets.join(", ")}` : ", which stands nowhere"}` +
        `. It lies in the bin for 30 days and can be brought back.`
      );
    },
    async binArrival(a) {
      await this.do(async () => {
        await post(`/api/arrivals/${a.id}/bin`, {});
        this.say(
          `${a.name} lies in the bin for 30 days: it is brought back on the first page, or by handing it in again.`,
        );
      });
      this.leaving = null;
      if (this.d && !stores.v.st.pieces.some((x) => x.id === this.d.id)) this.d = null;
      if (this.choosing?.id === a.id) this.choosing = null;
    },
    async do(act) {
      try {
        await act();
      } catch (e) {
        this.say(e.message, true);
      }
      await stores.v.reload().catch((e) => this.say(e.message, true));
    },

    // What comes in
    async drop(e) {
      this.over = false;
      const entries = [...e.dataTransfer.items].map((i) => i.webkitGetAsEntry?.()).filter(Boolean);
      if (!entries.some((x) => x.isDirectory)) return this.offer([...e.dataTransfer.files]);
      for (const entry of entries) {
        const list = [];
        await walk(entry, "", list);
        if (list.length) await upload(entry.name, list);
      }
    },
    async offer(files) {
      const rest = files.filter((f) => !alone.test(f.name));
      for (const f of files) if (alone.test(f.name)) await upload(f.name, [{ file: f, path: f.name }]);
      if (rest.length)
        await upload(
          rest.length > 1
            ? rest.find((f) => /\.(gltf|obj|dae|usda?|usdc|fbx)$/i.test(f.name))?.name || `${rest.length} files`
            : rest[0].name,
          rest.map((f) => ({ file: f, path: f.name })),
        );
    },
    async offerFolder(files, piece = "") {
      if (files.length)
        await upload(
          files[0].webkitRelativePath.split("/")[0] || "folder",
          files.map((f) => ({ file: f, path: f.webkitRelativePath || f.name })),
          piece,
        );
    },
    async pointAt(files) {
      if (!files.length) return;
      this.found = "looking";
      const name =
        files.length === 1 ? files[0].name : files[0].webkitRelativePath?.split("/")[0] || `${files.length} maps`;
      await upload(
        name,
        files.map((f) => ({ file: f, path: f.webkitRelativePath || f.name })),
        this.d.id,
      );
      this.found = "";
    },
    async findIn(arrival) {
      this.found = "looking";
      try {
        const r = (await post(`/api/arrivals/${arrival}/maps`, { piece: this.d.id }))[0] || { set: 0, bad: [] };
        this.found = r.set ? `${stores.v.count(r.set, "map")} taken` : "nothing in it fits by name";
        if (r.bad.length) this.say(r.bad.join("; "), true);
      } catch (e) {
        this.found = "";
        this.say(e.message, true);
      }
      await stores.v.reload();
    },

    // What is decided
    decide(patch) {
      return stores.v.does("recipe", { id: this.d.id, step: patch });
    },
    patch(patch) {
      return stores.v.does("change piece", { id: this.d.id, patch });
    },
    pick(key, on) {
      this.picked = on ? [...this.picked, key] : this.picked.filter((k) => k !== key);
    },
    renamePicked() {
      if (this.picked.length && this.newName) {
        this.decide({ op: "name", parts: this.picked, name: this.newName });
        this.newName = "";
      }
    },
    wanted() {
      return this.d.faults.filter((f) => f.wanted).map((f) => f.kind);
    },
    mend(kind, on) {
      this.decide({
        op: "mend",
        kinds: on ? [...this.wanted(), kind] : this.wanted().filter((k) => k !== kind),
        crease: this.d.crease,
      });
    },
    smooth(change) {
      return this.decide({ op: "smooth", smooth: { ...this.d.smooth, ...change } });
    },
    async assign(surface, role, file, channel = 0) {
      await stores.v.inTurn(() =>
        this.do(() => post(`/api/pieces/${this.d.id}/map`, { surface, role, file, channel })),
      );
    },
    async takeCameras() {
      await this.do(async () => {
        const r = await post(`/api/sets/${stores.v.st.set.id}/cameras`, { piece: this.d.id });
        this.say(
          `Kept: ${stores.v.count(r.shots, "shot")}; see ` +
            "Frame." +
            (r.skipped.length ? ` Without a lens, so not taken (drawn in parallel): ${r.skipped.join(", ")}.` : ""),
        );
      });
    },
    async takeSun() {
      await this.do(async () => {
        await post(`/api/sets/${stores.v.st.set.id}/sun`, { piece: this.d.id });
        this.say("Kept: the set's sun stands as in the file; see Light.");
      });
    },
    price(input) {
      if (!input.value.trim()) return this.patch({ credit: { price: 0, currency: "" } });
      stores.v.typedNumber(input, (n) =>
        this.patch({ credit: { price: n, currency: this.p.credit.currency || "EUR" } }),
      );
    },
    terms(t) {
      if (!t?.known) return "not one of the licences that are known here: read its terms";
      const asks = [
        t.attribution && "the author must be named",
        t.shareAlike && "what is made of it goes under the same licence",
        t.nonCommercial && "not for paid work",
        t.noDerivatives && "may not be changed",
      ].filter(Boolean);
      return `${t.name}: ${asks.length ? asks.join("; ") : "no conditions"}`;
    },
    newsRows() {
      const n = this.d.news || {},
        list = (a) => (a?.length ? a.join(", ") : "none");
      return [
        ["in numbers", list(n.changed)],
        [
          "found under a new name",
          n.pairs?.length ? n.pairs.map((p) => `${p.Old} is ${p.New} (by ${p.By})`).join(", ") : "none",
        ],
        ["not there any more", list(n.gone)],
        ["new in it", list(n.fresh)],
        ["could not be carried over", list(n.lost)],
      ];
    },

    // Shelf and supplier
    async bring(x) {
      await this.do(async () => {
        const r = await post(`/api/productions/${stores.v.st.production.id}/bring`, { piece: x.id });
        this.say(`Kept: ${x.name} is here too.`);
        return r;
      });
      this.search();
    },
    async order(f) {
      await this.do(async () => {
        await post(`/api/productions/${stores.v.st.production.id}/order`, { goods: this.offerNow.id, file: f.file });
        this.say(`${f.file} is on its way: see Arrivals.`);
      });
      this.show("arrivals");
    },
  }));
}

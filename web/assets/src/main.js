// The page: one store with what the server says about the set, and the commands
// that go back to it. Views draw; the server decides.
import Alpine from "alpinejs";
import { Plan } from "./plan.js";
import { Strip } from "./strip.js";
import { drawLineup } from "./lineup.js";
import { besideNames } from "./references.js";
import { Outlines } from "./outline.js";
import { drawMeasure } from "./measure.js";
import { length, size, number, degrees, distance, radians, feet } from "./print.js";
import { keys, list } from "./keys.js";
import { drawManifest, drawPieces, drawLibrary } from "./lists.js";
import { figure, complain, content } from "./field.js";
import { intake } from "./intake.js";
import { dress } from "./dress.js";
import { figures } from "./schema.js";
import { filming } from "./frame.js";
import { pulling, letGo } from "./drag.js";
import { Laid } from "./elements.js";
import { evaluator } from "./evaluate.js";
import { call, post, surely, name as named, until, watchPictures } from "./ask.js";
import { listen } from "./events.js";

const page = document.documentElement.dataset;

// The first look is asked for before anything else is made ready.
const first = fetch(`/api/sets/${page.set}/topics`).catch(() => null);
// What documents are made of never changes while the page is open.
const schema = until(() => call("/api/schema"));

// upload sends files as one arrival, all or nothing; piece is one whose maps
// are looked for in them. What it says is told, and the page looks again.
async function upload(name, list, piece = "") {
  const v = Alpine.store("v"),
    up = Alpine.reactive({ name, share: 0, error: "" });
  v.uploads.push(up);
  const single = list.length === 1 && !piece && !list[0].path.includes("/");
  const base = `/api/productions/${v.st.production.id}/`,
    q = new URLSearchParams({ name, piece });
  let body = list[0].file;
  if (!single) {
    body = new FormData();
    for (const f of list) body.append(f.path, f.file, f.file.name);
  }
  await new Promise((done) => {
    const x = new XMLHttpRequest();
    x.open("POST", base + (single ? "arrivals?" : "folders?") + q);
    x.setRequestHeader("X-CSRF-Token", document.querySelector("meta[name=csrf]")?.content || "");
    if (single) x.setRequestHeader("Content-Type", "application/octet-stream");
    x.upload.onprogress = (e) => {
      up.share = e.total ? e.loaded / e.total : 0;
    };
    x.onloadend = () => {
      let answer = {};
      try {
        answer = JSON.parse(x.responseText);
      } catch {
        /* told below */
      }
      if (x.status !== 200) {
        up.error = answer.error || "The upload did not arrive. Nothing of it was taken in; try again.";
        v.say(up.error, true);
      } else {
        v.uploads = v.uploads.filter((u) => u.name !== name || u.error);
        if (answer.twice && !piece) v.say(`${name} is here already, as ${answer.arrival.name}.`);
      }
      done();
    };
    x.send(body);
  });
  await v.reload();
}

// mixed joins parts of the store; what is computed stays computed.
function mixed(...parts) {
  const all = {};
  for (const p of parts) {
    const twice = Object.keys(p).filter((k) => Object.hasOwn(all, k));
    if (twice.length) throw new Error(`The page has two of: ${twice.join(", ")}`);
    Object.defineProperties(all, Object.getOwnPropertyDescriptors(p));
  }
  return all;
}

document.addEventListener("alpine:initialized", () => {
  document.documentElement.dataset.alive = "yes";
});
document.addEventListener("alpine:init", () => {
  Alpine.setEvaluator(evaluator(Alpine));
  figure(Alpine);
  intake(Alpine, { call, post, upload });
  Alpine.store(
    "v",
    mixed(dress({ call, post }), filming({ call }), figures, {
      st: null,
      schema: null,
      tags: {},
      step: page.step || "dress",
      sel: [],
      piece: "",
      hover: "",
      message: "",
      bad: false,
      search: "",
      keysShown: false,
      keyList: list,
      uploads: [],
      looks: 0,
      seen: 0,
      shotName: "",
      tone: localStorage.tone || "dark",
      snapOn: localStorage.snap !== "off",
      waiting: 0,
      take: { width: 1280, samples: 64, seconds: 0, denoise: true },
      compare: "",

      // now is the state as it is, for drawing: reading it through the page's
      // store would have every number watched.
      get now() {
        return Alpine.raw(this.st);
      },
      get unit() {
        return this.st?.production.unit || "metre";
      },
      get feet() {
        return feet(this.unit);
      },
      length(m) {
        return m == null ? "" : length(m, this.unit);
      },
      distance(m) {
        return distance(m, this.unit);
      },
      number,
      degrees,
      size(v) {
        return v ? size(v, this.unit) : "";
      },
      say(text, bad = false) {
        this.message = text;
        this.bad = bad;
      },

      async start() {
        document.documentElement.dataset.tone = this.tone;
        const lens = import("./lens.js"); // is fetched while the state is
        lens.catch(() => {}); // told below
        watchPictures();
        this.shapes = new Outlines(
          (ids) =>
            until(() => call(`/api/sets/${page.set}/outlines?of=${ids}`)).catch((e) => this.say(e.message, true)),
          () => this.drawSoon(),
        );
        this.laid = new Laid(
          (e, most, wanted) =>
            until(
              () => call(`/api/sets/${page.set}/elements/${e.id}/instances?k=${e.key}&most=${most}`, { raw: true }),
              wanted,
            ).catch(() => null),
          () => this.drawSoon(),
        );
        this.plan = new Plan(document.getElementById("plan"), this);
        this.strip = new Strip(document.getElementById("strip"), this);
        schema
          .then((s) => {
            this.schema = s;
          })
          .catch((e) => this.say(e.message, true));
        const put = this.putIn();
        const ready = await first,
          known = ready?.ok ? await ready.json().catch(() => null) : null;
        await until(() => this.reload(known || undefined));
        performance.mark("interactive");
        listen(
          (m) => {
            if (m.production && m.production !== this.st.production.id) return;
            if (m.what === "edit" && m.revision <= this.st.revision) return;
            if (m.what === "settling") return void (m.set === page.set && this.heardSettling(m));
            if (m.what === "again") this.whatBecame();
            this.soon();
          },
          (up) => {
            if (!up)
              this.say(
                "Connection to the server is lost. It comes back by itself; what was confirmed is safe.",
                true,
              );
            else if (this.message.startsWith("Connection")) this.say("");
          },
        );
        keys(this);
        Promise.all([lens, put])
          .then(([{ Lens }]) => {
            this.lens = new Lens(document.getElementById("lens"), this);
            this.drawLens();
            document.documentElement.dataset.ready = "yes";
          })
          .catch((e) => this.say("The lens view cannot be drawn here: " + e.message, true));
        addEventListener("resize", () => this.draw());
        // What was hidden has no size to draw to before it is shown.
        const shown = new ResizeObserver(() => this.step === "size" && this.draw());
        for (const id of ["lineup", "elevations"]) shown.observe(document.getElementById(id));
        addEventListener("popstate", () => {
          this.step = location.pathname.split("/").pop();
          Alpine.nextTick(() => this.draw());
        });
      },
      // Many announcements in a row are answered by one look.
      soon() {
        if (this.later) return;
        this.later = setTimeout(() => {
          this.later = 0;
          until(
            () => this.reload(),
            () => !this.later,
          ).catch((e) => this.say(e.message, true));
        }, 60);
      },
      // whatBecame finds out what became of an edit whose answer was lost.
      async whatBecame() {
        const asked = this.unsure;
        if (!asked) return;
        this.unsure = "";
        try {
          const r = await until(() => call(`/api/sets/${page.set}/requests/${asked}`));
          if (r) this.say(r.kept ? "Your last edit was kept." : "Your last edit was not kept: repeat it.", !r.kept);
        } catch (e) {
          this.say(e.message, true);
        }
      },
      async reload(known) {
        const turn = ++this.looks;
        const told =
          known ||
          (await call(`/api/sets/${page.set}/topics?` + new URLSearchParams({ have: JSON.stringify(this.tags) })));
        await letGo(); // what is in the hand stays as it is
        // What was asked for earlier may come later: the newest look counts.
        if (turn < this.seen || (this.st && told.revision < this.st.revision)) return;
        this.seen = turn;
        const st = this.merged(told);
        this.st = st;
        st.settling = (st.settling || []).filter((s) => !this.over.has(s.id));
        const there = new Set([...st.placements, ...st.elements].map((p) => p.id));
        this.sel = Alpine.raw(this.sel).filter((id) => there.has(id));
        this.mix = Alpine.raw(this.mix).filter((id) => st.pieces.some((p) => p.id === id));
        this.stale = true; // what is proposed is asked for again where it is seen
        if (!st.pieces.some((p) => p.id === this.piece))
          this.piece = (st.snags.find((s) => s.step === "size") || st.pieces[0])?.id || "";
        this.draw();
      },
      // merged is the state with the topics that were told: the others are as they were.
      merged({ revision, tags, topics }) {
        const old = this.now,
          st = Object.assign({ ...old, revision }, ...Object.values(topics));
        Object.assign(this.tags, tags);
        // What the view alone decides is told apart.
        if (topics.library || topics.derived)
          st.pieces = st.pieces.map((p) =>
            p.level === (st.levels[p.id] || 0) ? p : { ...p, level: st.levels[p.id] || 0 },
          );
        if (topics.elements || topics.derived)
          st.elements = st.elements.map((e) => (st.cards[e.id] ? { ...e, ...st.cards[e.id] } : e));
        return st;
      },
      // drawSoon draws once for what comes in a crowd: outlines, what is laid out.
      drawSoon() {
        this.crowd ||= setTimeout(() => {
          this.crowd = 0;
          this.draw();
        }, 100);
      },
      draw() {
        if (!this.st || pulling()) return;
        this.plan.draw();
        this.strip.draw();
        if (this.step === "size") this.drawSize();
        this.drawLens();
        if (this.on("light frame") && this.lookedAt !== this.now.revision) this.lookSoon();
      },
      // The lens view is kept up where it is seen: it takes more than all else.
      drawLens() {
        if (this.on("dress light frame") || this.pinned) this.lens?.sync(this.now);
      },
      coming: null, // what the lens view still waits for
      pinned: localStorage.pinned === "yes",
      // Of the steps above the sheet: which one an element belongs to.
      stepOf(el) {
        return el.closest("a").getAttribute("href");
      },
      isStep(el) {
        return this.step === this.stepOf(el);
      },
      snagsAt(el) {
        return this.snags(this.stepOf(el)).length;
      },
      pin() {
        this.pinned = !this.pinned;
        localStorage.pinned = this.pinned ? "yes" : "no";
        Alpine.nextTick(() => this.draw());
      },
      // on says whether one of these steps is open: only what is seen is kept up.
      on(steps) {
        return steps.split(" ").includes(this.step);
      },
      // Panels are put in one after the other when the page opens, so that no hand waits for all.
      panels: 0,
      panel(steps, turn) {
        return this.panels >= turn && this.on(steps);
      },
      async putIn() {
        for (const turn of [1, 2]) {
          await new Promise((done) => setTimeout(done));
          this.panels = turn;
        }
      },
      go(step) {
        this.step = step;
        history.pushState(null, "", step);
        Alpine.nextTick(() => {
          this.plan.center();
          this.draw();
        });
      },
      // edit sends commands, one edit after the other, so that a quick hand is never
      // told that its own last edit came in between. A command may be a function:
      // it is asked when its turn comes. What the server refuses is told and
      // nothing changes.
      edit(...commands) {
        return this.inTurn(() => this.send(commands));
      },
      // does is an edit of one command.
      does(op, args = {}) {
        return this.edit({ op, args });
      },
      inTurn(act) {
        return (this.last = (this.last || Promise.resolve()).then(act));
      },
      async send(asked) {
        this.waiting++;
        try {
          const commands = asked.flatMap((c) => (typeof c === "function" ? c() : c));
          if (!commands.length) return null;
          const request = named();
          const r = await surely(`/api/sets/${page.set}/edit`, {
            revision: this.st.revision,
            commands,
            request,
          }).catch((e) => {
            if (e.lost) this.unsure = request;
            throw e;
          });
          this.say(r.label ? "Kept: " + r.label : "");
          if (!this.apply(r)) {
            // Placements that it did not touch are as the page has them.
            if (r.touched && r.revision === this.st.revision + 1 && !r.touched.includes("placements"))
              this.placedAt(r.revision);
            await this.reload();
          }
          return r;
        } catch (e) {
          this.say(e.message, true);
          if (e.lost) this.soon();
          else await this.reload().catch(() => this.soon());
          return null;
        } finally {
          this.waiting--;
        }
      },
      // apply takes what an edit's answer tells of placements into the state, so that
      // the hand does not wait; what follows from it is looked at soon.
      apply(r) {
        const had = this.now;
        if (r.revision !== had.revision + 1 || !(r.only || (r.touched || []).every((t) => r.topics?.[t])))
          return false;
        const st = r.topics ? this.merged({ revision: r.revision, tags: {}, topics: r.topics }) : had;
        const gone = new Set(r.gone || []),
          known = new Map(st.placements.map((p, i) => [p.id, i]));
        for (const p of r.changed || []) {
          if (known.has(p.id)) st.placements[known.get(p.id)] = p;
          else st.placements.push(p);
        }
        if (gone.size) {
          st.placements = st.placements.filter((p) => !gone.has(p.id));
          this.sel = Alpine.raw(this.sel).filter((id) => !gone.has(id));
        }
        if (r.only) this.placedAnew(st);
        if (r.touched) this.placedAt(r.revision);
        st.revision = r.revision;
        st.undo = r.label;
        st.redo = "";
        this.st = { ...st }; // what shows it is told
        this.draw();
        this.soon();
        return true;
      },
      // placedAt notes that the page has the placements as they are at a revision, with the
      // library that it has.
      placedAt(revision) {
        this.tags.placements = `${revision}.${this.tags.library}`;
      },
      // placedAnew brings placements into the server's order and counts those of each piece.
      placedAnew(st) {
        const count = new Map();
        for (const p of st.placements) count.set(p.piece, (count.get(p.piece) || 0) + 1);
        for (const p of st.placements) p.shared = count.get(p.piece);
        st.placements.sort((a, b) => a.order - b.order || (a.id < b.id ? -1 : 1));
      },
      undo() {
        return this.inTurn(() => this.again("undo", "Undone: "));
      },
      redo() {
        return this.inTurn(() => this.again("redo", "Done again: "));
      },
      async again(what, word) {
        try {
          const r = await surely(`/api/sets/${page.set}/${what}`, { request: named() });
          this.say(word + r.label);
        } catch (e) {
          this.say(e.message, true);
        }
        await this.reload().catch((e) => this.say(e.message, true));
      },
      // typed reads a length in any unit and hands it on in metres. What was typed
      // after it counts, whichever is answered first.
      async typed(input, then) {
        const turn = (input.turn = (input.turn || 0) + 1);
        try {
          const r = await call(
            `/api/length?unit=${encodeURIComponent(this.unit)}&text=${encodeURIComponent(input.value)}`,
          );
          if (turn === input.turn) content(input);
          const kept = await then(r.metres),
            why = this.message;
          if (kept === null && this.bad && turn === input.turn) complain(input, why); // what the server refuses
        } catch (e) {
          if (turn === input.turn) complain(input, e.message);
        }
      },
      async typedNumber(input, then) {
        const text = input.value
            .replace(",", ".")
            .replace(/^(f\s*\/?|ev|iso|from|none)\s*/i, "")
            .replace(/[^0-9.]+$/, "")
            .trim(),
          n = Number(text); // as it is shown: f/8, EV 12, 24 /s
        const ok = text !== "" && Number.isFinite(n);
        if (!ok) return complain(input, `“${input.value}” is not a number.`);
        content(input);
        const kept = await then(n),
          why = this.message;
        if (kept === null && this.bad) complain(input, why); // what the server refuses
        return undefined;
      },

      // Placements
      get one() {
        return this.st?.placements.find((p) => p.id === this.sel[0]) || null;
      },
      placement(id) {
        const i = this.now.placements.findIndex((p) => p.id === id);
        return i < 0 ? undefined : this.st.placements[i];
      },
      select(id, more) {
        const all = id ? this.members(id) : [];
        if (more)
          this.sel = this.sel.includes(id)
            ? this.sel.filter((x) => !all.includes(x))
            : [...this.sel, ...all.filter((x) => !this.sel.includes(x))];
        else this.sel = all;
        if (!id) this.snag = "";
        this.draw();
      },
      change(id, patch) {
        return this.does("change placement", { id, patch });
      },
      changeAll(patch) {
        return this.sel.length
          ? this.edit(
              ...this.sel.map((id) => ({
                op: this.placement(id) ? "change placement" : "change element",
                args: { id, patch },
              })),
            )
          : null;
      },
      async place(piece, standIn, at, rest = false, here = false) {
        const r = await this.does("place", { piece, standIn, at: at || this.free(), rest, here });
        document.activeElement?.blur(); // keys now move what was placed, not the list
        if (r) {
          this.sel = r.made;
          this.draw();
        }
      },
      // free is the middle of the plan, or beside what stands there already.
      free() {
        const at = this.plan.middle(),
          wide = (p) => Math.max(p.dims.x, p.dims.z);
        for (let n = 0; n < 200; n++) {
          const p = this.st.placements.find(
            (q) => !q.hidden && wide(q) < 30 && Math.hypot(q.at.x - at.x, q.at.z - at.z) < wide(q) / 2,
          );
          if (!p) break;
          at.x = this.plan.grid(p.at.x + wide(p) / 2 + 0.6);
        }
        return at;
      },
      async copy() {
        const open = this.sel.filter((id) => this.placement(id));
        if (!open.length) return;
        const p = this.one;
        const r = await this.does("copy", { ids: open, by: { x: Math.max(p.dims.x, 0.2), y: 0, z: 0 } });
        if (r) {
          this.lastCopy = { from: open[0], to: r.made };
          this.sel = r.made;
          this.draw();
        }
      },
      remove() {
        return this.sel.length ? this.does("delete", { ids: this.sel }) : null;
      },
      down() {
        return this.act("put down");
      },
      // A key that is held adds up until the edit before it is kept.
      nudge(x, y, z, deg = 0) {
        if (!this.sel.length) return;
        const first = !this.held;
        this.held ||= { x: 0, y: 0, z: 0, yaw: 0 };
        this.held.x += x;
        this.held.y += y;
        this.held.z += z;
        this.held.yaw += radians(deg);
        if (!first) return;
        this.edit(() => {
          const h = this.held;
          this.held = null;
          return this.sel
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
        const q = this.search.toLowerCase(),
          st = this.now;
        if (!st) return [];
        const bad = new Map(),
          eye = st.set.view.eye,
          weight = new Map(st.pieces.map((p) => [p.id, p.facts.triangles]));
        for (const s of st.snags) for (const id of s.ids || []) bad.set(id, (bad.get(id) || 0) + 1);
        const list = [
          ...st.placements,
          ...st.elements.filter((e) => e.kind !== "meant" && e.kind !== "limit" && e.kind !== "layer"),
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
          size: (p) => (p.dims ? this.length(by(p)) : ""),
          weight: (p) => (by(p) ? by(p).toLocaleString("en") : ""),
          distance: (p) => (p.at ? this.distance(-by(p)) : ""),
          snags: (p) => by(p) || "",
        }[this.sortBy];
        return list.map((p) => [
          p,
          figure ? figure(p) : p.kind || (p.standIn && p.standIn !== p.name.split(" ")[0] ? p.standIn : ""),
        ]);
      },
      // The long lists are drawn again when one of what they name here changes.
      manifest(list) {
        void [this.st, this.sel.length, this.sel[0], this.search, this.sortBy, this.apart.length];
        drawManifest(list, this);
      },
      pieceList(list) {
        void [this.st, this.piece, this.search];
        drawPieces(list, this);
      },
      library(list) {
        void [this.st, this.search, this.mix.length];
        drawLibrary(list, this);
      },
      get found() {
        const q = this.search.toLowerCase();
        return (this.now?.pieces || []).filter((p) => p.name.toLowerCase().includes(q));
      },

      // Pieces and their size
      line: { order: "size", which: "", equal: false, side: "front", beside: ["door"], px: 0, x: 0, edge: 0 },
      besideNames,
      sizeView: "line-up",
      measured: { key: "", points: [], on: "", hover: null, length: 0 },
      measuredLength: 0,
      measuredOn: "",
      proposal: null,
      stale: true,
      asking: "",
      askAgain: false,
      looked: 0,
      even: true,
      like: "",
      likeOf: "height",
      likeIts: "height",
      pivoting: false,
      patternAt: 0,
      sizeFrom: "picture",
      drawSize() {
        if (this.piece && (this.stale || this.proposal?.id !== this.piece)) this.ask(this.piece);
        if (this.sizeView === "measure") drawMeasure(document.getElementById("elevations"), this);
        else drawLineup(document.getElementById("lineup"), this);
      },
      lineUp(patch) {
        Object.assign(this.line, patch);
        this.draw();
      },
      showSize(view) {
        this.sizeView = view;
        this.draw();
      }, // what is hidden still is drawn when it is there
      choosePiece(id) {
        this.piece = id;
        this.looked = 0;
        this.measuredLength = 0;
        this.patternAt = 0;
        this.even = true;
        this.draw();
      },
      // arrived are the downloads of which there are pieces.
      get arrived() {
        return (this.st?.arrivals || []).filter((a) => this.st.pieces.some((p) => p.arrival === a.id));
      },
      // patterns are the pictures on the piece that can be measured on; pattern is
      // the one that is shown.
      get patterns() {
        return (this.proposal?.patterns || []).filter((t) => t.picture && t.width > 0);
      },
      get pattern() {
        return this.patterns[this.patternAt] || this.patterns[0] || null;
      },
      stretched(p) {
        return ["x", "y", "z"]
          .map(
            (k, i) =>
              p.stretched[k] > 1.0005 &&
              `${["width", "height", "depth"][i]} +${number(100 * (p.stretched[k] - 1), 1)} %`,
          )
          .filter(Boolean)
          .join(", ");
      },
      // follows says what changes with a piece, here and in other sets.
      follows(p) {
        const all = [
          p.copies && `${this.count(p.copies, "placement")} in this set`,
          p.elsewhere && `${this.count(p.elsewhere, "placement")} in ${this.count(p.otherSets, "other set")}`,
        ].filter(Boolean);
        return all.length
          ? `${all.join(" and ")} will follow, standing on the same base.`
          : "It stands nowhere yet: place it in Dress.";
      },
      beyond(piece) {
        const p = this.st?.pieces.find((x) => x.id === piece);
        return p?.elsewhere ? `, ${p.elsewhere} more in ${this.count(p.otherSets, "other set")}` : "";
      },
      // ask fetches what is proposed for a piece, with the reasons. One question at a time:
      // what changes meanwhile is asked for when it is answered, so that many changes in a
      // row never keep an answer away.
      async ask(id) {
        this.stale = false;
        if (this.asking === id) {
          this.askAgain = true;
          return;
        }
        this.asking = id;
        this.askAgain = false;
        this.waiting++;
        if (this.proposal?.id !== id) this.proposal = { id, candidates: [] };
        try {
          const p = await until(
            () => call(`/api/pieces/${id}/size`),
            () => this.asking === id,
          );
          if (this.asking !== id || !p) return;
          this.proposal = { id, ...p };
          if (this.sizeView === "measure" && this.step === "size") this.drawSize();
        } catch (e) {
          if (this.asking === id) this.say(e.message, true);
        } finally {
          this.waiting--;
          if (this.asking === id) {
            this.asking = "";
            if (this.askAgain) this.ask(id);
          }
        }
      },
      sizing(piece, c) {
        return {
          op: "change piece",
          args: {
            id: piece,
            patch: {
              sizing: {
                metresPerUnit: c.metresPerUnit,
                up: c.up,
                factor: 1,
                stretch: { x: 0, y: 0, z: 0 },
                decided: true,
              },
            },
          },
        };
      },
      accept(c) {
        return this.edit(this.sizing(this.piece, c));
      },
      // open are the pieces whose size is still to be decided; of one supplier, or of all.
      open(group) {
        return (this.st?.pieces || []).filter(
          (p) => !p.sizing.decided && p.proposal && (!group || p.proposal.group === group),
        );
      },
      get sure() {
        return this.open().filter((p) => p.proposal.sure);
      },
      acceptSure() {
        return this.edit(...this.sure.map((p) => this.sizing(p.id, p.proposal)));
      },
      // alike are the pieces of the same supplier for which the same is likeliest.
      get alike() {
        const mine = this.sized?.proposal;
        if (!mine) return [];
        return this.open(mine.group).filter(
          (p) =>
            p.proposal.metresPerUnit === mine.metresPerUnit && p.proposal.up === mine.up && p.proposal.score > 0.5,
        );
      },
      acceptAlike() {
        return this.edit(...this.alike.map((p) => this.sizing(p.id, p.proposal)));
      },
      percent: (x) => (x > 0.995 ? "> 99 %" : x < 0.005 ? "< 1 %" : `${Math.round(100 * x)} %`),
      unitWords(c) {
        return c
          ? `${["metre", "centimetre", "millimetre", "inch", "foot"].includes(c.unit) ? c.unit : `${c.unit} a unit`}, ${c.up} up`
          : "";
      },
      // What was measured on the picture tells of the picture, unless it is said
      // to tell of the piece.
      trueDistance(metres) {
        const was = this.measuredLength,
          command =
            this.measuredOn === "picture" && this.sizeFrom === "picture"
              ? {
                  op: "true repeat",
                  args: { id: this.piece, surface: this.pattern?.surface, was, metres, everywhere: this.onAll },
                }
              : { op: "true size", args: { id: this.piece, of: "distance", was, metres } };
        return this.edit(command).then((r) => {
          if (r) {
            this.measured.points = [];
            this.measuredLength = 0;
            this.draw();
          }
          return r;
        });
      },
      get sized() {
        return this.st?.pieces.find((p) => p.id === this.piece) || null;
      },
      sizeAs(patch) {
        return this.does("change piece", { id: this.piece, patch: { sizing: { ...patch, decided: true } } });
      },
      onAll: true,
      repeat(surface, metres) {
        return this.does("true repeat", { id: this.piece, surface, metres, everywhere: this.onAll });
      },
      standAs(patch) {
        return this.does("change piece", { id: this.piece, patch: { sizing: patch } });
      },
      pivot(where) {
        const own = where === "base" || where === "file";
        return this.standAs({ pivot: own ? "" : where, ground: where !== "file", centre: where !== "file" });
      },
      pivotAt(at) {
        this.pivoting = false;
        return this.does("pivot", { id: this.piece, at });
      },
      trueSize(of, metres) {
        return this.does("true size", { id: this.piece, of, metres, alone: !this.even });
      },
      // references are what a piece can be held against: what is selected, the
      // stand-ins and one placement of every other piece.
      get references() {
        const had = new Set();
        return (this.st?.placements || []).filter(
          (p) =>
            p.piece !== this.piece &&
            (p.standIn || this.sel.includes(p.id) || p.id === this.like || (!had.has(p.piece) && had.add(p.piece))),
        );
      },
      proportions() {
        return this.does("true size", { id: this.piece, of: "proportions" });
      },
      trueLike() {
        return this.does("true size", {
          id: this.piece,
          of: this.likeIts,
          like: this.like,
          likeOf: this.likeOf,
          alone: !this.even,
        });
      },

      // Camera, light, shots
      view(patch) {
        return this.does("change set", { patch: { view: patch } });
      },
      light(patch) {
        return this.does("change set", { patch: { light: patch } });
      },
      get shot() {
        return this.st?.shots.find((s) => s.id === this.st.set.shot) || null;
      },
      async keepAs() {
        const r = await this.does("keep shot", { name: this.shotName || "shot" });
        if (r) this.shotName = "";
      },
      goShot(id) {
        const left = this.st.changed && this.shot?.name;
        this.time = 0;
        this.playing = false;
        return this.does("go to shot", { id }).then((r) => {
          if (r && left) this.say(`${r.label}; the changed view of ${left} was left, Undo brings it back`);
          return r;
        });
      },
      // frameSnags are those of the view that is seen first, then of other shots.
      get frameSnags() {
        const own = this.st?.set.shot;
        return this.snags("frame")
          .slice()
          .sort((a, b) => Number(Boolean(a.shot) && a.shot !== own) - Number(Boolean(b.shot) && b.shot !== own))
          .slice(0, 12);
      },
      snags(step) {
        return (this.st?.snags || []).filter((s) => s.step === step);
      },
      mend(s) {
        if (s.shot && s.shot !== this.st.set.shot) {
          this.say(
            `This is about ${this.st.shots.find((x) => x.id === s.shot)?.name || "another shot"}: it was gone to.`,
          );
          return this.goShot(s.shot).then(() => this.mend({ ...s, shot: "" }));
        }
        if (s.fix === "fit") return this.does("fit range");
        if (s.fix === "keep") return this.does("keep shot");
        if (s.fix === "straight") return this.does("straighten");
        if (s.fix === "level") return this.view({ roll: 0 });
        if (s.fix === "eye") return this.does("eye height", { metres: 1.6 });
        if (s.fix === "focus") return this.does("focus", { id: s.id });
        const things = (s.ids || [s.id]).filter((id) => this.placement(id));
        if (s.fix === "ground") return this.does("put down", { ids: things });
        if (s.fix === "clear" || s.fix === "part")
          return this.does(s.fix === "clear" ? "move out" : "set apart", { id: s.id });
        if (s.fix === "vary") return this.does("vary", { ids: things, seed: this.seed++ });
        if (s.fix === "hide") return this.hideUnseen();
        if (s.fix === "propose") {
          const p = this.st.pieces.find((x) => x.id === s.id);
          return p?.proposal && this.edit(this.sizing(p.id, p.proposal));
        }
        if (s.fix === "even") {
          return this.does("true size", { of: "proportions", id: s.id });
        }
        if (s.fix === "sized") {
          return this.does("change piece", { id: s.id, patch: { sizing: { decided: true } } });
        }
        if (s.step === "size") {
          this.piece = s.id;
          this.go("size");
        }
      },

      async panorama(file) {
        if (!file) return;
        try {
          const r = await call(`/api/productions/${this.st.production.id}/panorama`, { method: "POST", body: file });
          await this.light({ sky: "panorama", panorama: r.blob });
        } catch (e) {
          this.say(e.message, true);
        }
      },
      async options(patch) {
        const p = this.st.production;
        try {
          await post(`/api/productions/${p.id}/options`, { unit: p.unit, budget: p.budget, ...patch });
          await this.reload();
        } catch (e) {
          this.say(e.message, true);
        }
      },
      setTone(t) {
        this.tone = localStorage.tone = t;
        document.documentElement.dataset.tone = t;
      },

      // Takes
      async shootTake(kind) {
        const settings = {
          width: Number(this.take.width),
          samples: Number(this.take.samples),
          seconds: Number(this.take.seconds),
          denoise: this.take.denoise,
          bounces: 4,
          seed: 1,
        };
        try {
          await post(`/api/sets/${page.set}/takes`, {
            shot: this.st.changed || !this.shot ? "" : this.st.set.shot,
            kind,
            settings,
          });
          this.say("The take is in the queue.");
        } catch (e) {
          this.say(e.message, true);
        }
        await this.reload();
      },
      async stopTake(id) {
        await post(`/api/takes/${id}/cancel`, {}).catch((e) => this.say(e.message, true));
        await this.reload();
      },
      async binTake(t) {
        try {
          await post(`/api/takes/${t.id}/bin`, {});
          this.say(`${t.name} lies in the bin for 30 days: it is brought back on the first page.`);
        } catch (e) {
          this.say(e.message, true);
        }
        await this.reload();
      },
      picture(t) {
        const r = t.result || {};
        const h = r.png || r.preview || r.frames?.[0];
        return h ? `/blobs/${h}?as=png` : "";
      },
      fetchURL(hash, as, name) {
        return `/blobs/${hash}?as=${as}&name=${encodeURIComponent(name + "." + as)}`;
      },
      get shown() {
        const t = this.st?.takes || [];
        return t.find((x) => x.id === this.compare) || t.find((x) => this.picture(x)) || t[0] || null;
      },
      count: (n, one, many = one + "s") => `${n.toLocaleString("en")} ${n === 1 ? one : many}`,
    }),
  );
});
window.Alpine = Alpine;
Alpine.start();
Alpine.store("v")
  .start()
  .catch((e) => Alpine.store("v").say(e.message, true));

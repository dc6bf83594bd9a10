// The page: one store with what the server says about the set, and the commands
// that go back to it. Views draw; the server decides.
import Alpine from "alpinejs";
import { Plan } from "./plan.js";
import { Strip } from "./strip.js";
import { Outlines } from "./outline.js";
import { length, size, number, degrees, distance, feet } from "./print.js";
import { keys, list } from "./keys.js";
import { figure, typing, complain, content } from "./field.js";
import { finishing } from "./finishing.js";
import { judging } from "./judging.js";
import { intake } from "./intake.js";
import { dress } from "./dress.js";
import { lighting } from "./lighting.js";
import { boarding } from "./board.js";
import { brushing } from "./brush.js";
import { picking } from "./pick.js";
import { surfacing } from "./surfacing.js";
import { late } from "./late.js";
import { materialShelf } from "./materials.js";
import { shelving } from "./shelf.js";
import { allLight } from "./shadows.js";
import { figures } from "./schema.js";
import { placing } from "./placing.js";
import { sized } from "./sized.js";
import { shooting } from "./shooting.js";
import { filming } from "./frame.js";
import { moving } from "./moving.js";
import { matching } from "./matching.js";
import { pulling, letGo } from "./drag.js";
import { Laid } from "./elements.js";
import { learn } from "./kinds.js";
import { toolRows } from "./tools.js";
import { meter } from "./meter.js";
import { trueView } from "./trueview.js";
import { evaluator } from "./evaluate.js";
import { call, post, surely, name as named, until, watchPictures } from "./ask.js";
import { listen } from "./events.js";
import { uploader } from "./upload.js";
import { panels } from "./panels.js";
import { stores } from "./stores.js";

const page = document.documentElement.dataset;

// The first look is asked for before anything else is made ready.
const first = fetch(`/api/sets/${page.set}/topics`).catch(() => null);
// What documents are made of never changes while the page is open.
const schema = until(() => call("/api/schema"));

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
  Alpine.setEvaluator(/** @type {any} */ (evaluator(Alpine)));
  figure(Alpine);
  intake(Alpine, { call, post, upload: uploader(Alpine) });
  panels(Alpine);
  typing(Alpine);
  late(Alpine);
  Alpine.store("dress", mixed(dress({ call, post }), placing, lighting(), shelving()));
  Alpine.store("surface", mixed(surfacing(), boarding(), materialShelf(), brushing(), picking()));
  Alpine.store("film", mixed(filming({ call }), moving, matching, trueView(), meter(), allLight));
  Alpine.store("size", sized);
  Alpine.store("shoot", mixed(shooting, judging(), finishing()));
  Alpine.store(
    "v",
    mixed(figures, {
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
      take: {
        width: 1280,
        samples: 64,
        seconds: 0,
        noise: 0,
        denoise: true,
        apart: false,
        adaptive: true,
        keep: true,
        layers: [],
        halves: false,
        packed: false,
        blur: true,
        shared: false,
        linear: false,
        editing: false,
        lasts: 4,
      },
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
            learn(s.drawn);
            this.schema = s;
            stores.dress.tools = toolRows();
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
            if (m.what === "settling") return void (m.set === page.set && stores.dress.heardSettling(m));
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
        if (this.st && told.revision === this.st.revision && !Object.keys(told.topics).length) return;
        const st = this.merged(told);
        this.st = st;
        st.settling = (st.settling || []).filter((s) => !stores.dress.over.has(s.id));
        const there = new Set([...st.placements, ...st.elements].map((p) => p.id));
        this.sel = Alpine.raw(this.sel).filter((id) => there.has(id));
        stores.dress.mix = Alpine.raw(stores.dress.mix).filter((id) => st.pieces.some((p) => p.id === id));
        stores.size.stale = true; // what is proposed is asked for again where it is seen
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
      // drawSoon draws once for what comes in a crowd: outlines, what is laid out. While the lens
      // view still comes it goes first: the plan would take a tenth of a second from it each time.
      drawSoon() {
        const first = this.coming ? 500 : 100;
        this.crowd ||= setTimeout(() => {
          this.crowd = 0;
          this.draw();
        }, first);
        if (this.coming)
          this.lensCrowd ||= setTimeout(() => {
            this.lensCrowd = 0;
            this.drawLens();
          }, 100);
      },
      draw() {
        if (!this.st || pulling()) return;
        this.plan.draw();
        this.strip.draw();
        if (this.step === "size") stores.size.drawSize();
        this.drawLens();
        if (this.on("light frame") && stores.film.lookedAt !== this.now.revision) stores.film.lookSoon();
      },
      // The lens view is kept up where it is seen: it takes more than all else.
      // showAll brings all of the plan onto the sheet again.
      showAll() {
        this.plan.touched = false;
        this.plan.center();
        this.draw();
      },
      get drawnWords() {
        return `${(this.st?.drawn || 0).toLocaleString("en")} triangles drawn`;
      },
      drawLens() {
        if (this.on("dress surface light frame") || this.pinned) this.lens?.sync(this.now);
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
        return stores.shoot.snags(this.stepOf(el)).length;
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
        if (r.only) this.placedNow(r, st);
        st.revision = r.revision;
        st.undo = r.label;
        st.redo = "";
        this.st = { ...st }; // what shows it is told
        this.draw();
        this.soon();
        return true;
      },
      // placedNow notes that the page has the placements as an edit left them, with the
      // library that it has.
      placedNow(r, st) {
        const now = r.placed || `${r.revision}-${st.placements.length}`;
        this.tags.placements = `${now}.${this.tags.library}`;
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

      count: (n, one, many = one + "s") => `${n.toLocaleString("en")} ${n === 1 ? one : many}`,
    }),
  );
});
window.Alpine = Alpine;
// A task of its own: what was read first is not waited for by the hand as well.
setTimeout(() => {
  Alpine.start();
  stores.v.start().catch((e) => stores.v.say(e.message, true));
});

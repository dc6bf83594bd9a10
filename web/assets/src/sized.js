// Pieces and their size.
import { drawLineup } from "./lineup.js";
import { besideNames } from "./references.js";
import { drawMeasure } from "./measure.js";
import { number } from "./print.js";
import { call, until } from "./ask.js";
import { stores } from "./stores.js";

export const sized = {
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
    if (stores.v.piece && (this.stale || this.proposal?.id !== stores.v.piece)) this.ask(stores.v.piece);
    if (this.sizeView === "measure") drawMeasure(document.getElementById("elevations"), stores.v);
    else drawLineup(document.getElementById("lineup"), stores.v);
  },
  lineUp(patch) {
    Object.assign(this.line, patch);
    stores.v.draw();
  },
  showSize(view) {
    this.sizeView = view;
    stores.v.draw();
  }, // what is hidden still is drawn when it is there
  choosePiece(id) {
    stores.v.piece = id;
    this.looked = 0;
    this.measuredLength = 0;
    this.patternAt = 0;
    this.even = true;
    stores.v.draw();
  },
  // arrived are the downloads of which there are pieces.
  lookAtPattern(at) {
    this.patternAt = Number(at);
    stores.v.draw();
  },
  get arrived() {
    return (stores.v.st?.arrivals || []).filter((a) => stores.v.st.pieces.some((p) => p.arrival === a.id));
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
          p.stretched[k] > 1.0005 && `${["width", "height", "depth"][i]} +${number(100 * (p.stretched[k] - 1), 1)} %`,
      )
      .filter(Boolean)
      .join(", ");
  },
  // follows says what changes with a piece, here and in other sets.
  follows(p) {
    const all = [
      p.copies && `${stores.v.count(p.copies, "placement")} in this set`,
      p.elsewhere && `${stores.v.count(p.elsewhere, "placement")} in ${stores.v.count(p.otherSets, "other set")}`,
    ].filter(Boolean);
    return all.length
      ? `${all.join(" and ")} will follow, standing on the same base.`
      : "It stands nowhere yet: place it in Dress.";
  },
  beyond(piece) {
    const p = stores.v.st?.pieces.find((x) => x.id === piece);
    return p?.elsewhere ? `, ${p.elsewhere} more in ${stores.v.count(p.otherSets, "other set")}` : "";
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
    stores.v.waiting++;
    if (this.proposal?.id !== id) this.proposal = { id, candidates: [] };
    try {
      const p = await until(
        () => call(`/api/pieces/${id}/size`),
        () => this.asking === id,
      );
      if (this.asking !== id || !p) return;
      this.proposal = { id, ...p };
      if (this.sizeView === "measure" && stores.v.step === "size") this.drawSize();
    } catch (e) {
      if (this.asking === id) stores.v.say(e.message, true);
    } finally {
      stores.v.waiting--;
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
    return stores.v.edit(this.sizing(stores.v.piece, c));
  },
  // open are the pieces whose size is still to be decided; of one supplier, or of all.
  open(group) {
    return (stores.v.st?.pieces || []).filter(
      (p) => !p.sizing.decided && p.proposal && (!group || p.proposal.group === group),
    );
  },
  get sure() {
    return this.open().filter((p) => p.proposal.sure);
  },
  acceptSure() {
    return stores.v.edit(...this.sure.map((p) => this.sizing(p.id, p.proposal)));
  },
  // alike are the pieces of the same supplier for which the same is likeliest.
  get alike() {
    const mine = this.sized?.proposal;
    if (!mine) return [];
    return this.open(mine.group).filter(
      (p) => p.proposal.metresPerUnit === mine.metresPerUnit && p.proposal.up === mine.up && p.proposal.score > 0.5,
    );
  },
  acceptAlike() {
    return stores.v.edit(...this.alike.map((p) => this.sizing(p.id, p.proposal)));
  },
  percent: (x) => (x > 0.995 ? "> 99 %" : x < 0.005 ? "< 1 %" : `${Math.round(100 * x)} %`),
  unitWords(c) {
    return c
      ? (["metre", "centimetre", "millimetre", "inch", "foot"].includes(c.unit) ? c.unit : `${c.unit} a unit`) +
          `, ${c.up} up`
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
              args: { id: stores.v.piece, surface: this.pattern?.surface, was, metres, everywhere: this.onAll },
            }
          : { op: "true size", args: { id: stores.v.piece, of: "distance", was, metres } };
    return stores.v.edit(command).then((r) => {
      if (r) {
        this.measured.points = [];
        this.measuredLength = 0;
        stores.v.draw();
      }
      return r;
    });
  },
  get sized() {
    return stores.v.st?.pieces.find((p) => p.id === stores.v.piece) || null;
  },
  sizeAs(patch) {
    return stores.v.does("change piece", { id: stores.v.piece, patch: { sizing: { ...patch, decided: true } } });
  },
  onAll: true,
  repeat(surface, metres) {
    return stores.v.does("true repeat", { id: stores.v.piece, surface, metres, everywhere: this.onAll });
  },
  standAs(patch) {
    return stores.v.does("change piece", { id: stores.v.piece, patch: { sizing: patch } });
  },
  pivot(where) {
    const own = where === "base" || where === "file";
    return this.standAs({ pivot: own ? "" : where, ground: where !== "file", centre: where !== "file" });
  },
  pivotAt(at) {
    this.pivoting = false;
    return stores.v.does("pivot", { id: stores.v.piece, at });
  },
  trueSize(of, metres) {
    return stores.v.does("true size", { id: stores.v.piece, of, metres, alone: !this.even });
  },
  // references are what a piece can be held against: what is selected, the
  // stand-ins and one placement of every other piece.
  get references() {
    const had = new Set();
    return (stores.v.st?.placements || []).filter(
      (p) =>
        p.piece !== stores.v.piece &&
        (p.standIn || stores.v.sel.includes(p.id) || p.id === this.like || (!had.has(p.piece) && had.add(p.piece))),
    );
  },
  proportions() {
    return stores.v.does("true size", { id: stores.v.piece, of: "proportions" });
  },
  trueLike() {
    return stores.v.does("true size", {
      id: stores.v.piece,
      of: this.likeIts,
      like: this.like,
      likeOf: this.likeOf,
      alone: !this.even,
    });
  },
};

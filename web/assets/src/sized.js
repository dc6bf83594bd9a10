// Pieces and their size.
import { drawLineup } from "./lineup.js";
import { besideNames } from "./references.js";
import { drawMeasure } from "./measure.js";
import { number } from "./print.js";
import { call, until } from "./ask.js";

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
  lookAtPattern(at) {
    this.patternAt = Number(at);
    this.draw();
  },
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
          p.stretched[k] > 1.0005 && `${["width", "height", "depth"][i]} +${number(100 * (p.stretched[k] - 1), 1)} %`,
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
      (p) => p.proposal.metresPerUnit === mine.metresPerUnit && p.proposal.up === mine.up && p.proposal.score > 0.5,
    );
  },
  acceptAlike() {
    return this.edit(...this.alike.map((p) => this.sizing(p.id, p.proposal)));
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
};

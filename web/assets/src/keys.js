// The few keys that are used all day. The list is what ? shows.
import { aim } from "./focus.js";

export const list = [
  ["1 … 6", "the six steps"],
  [", and .", "undo and redo"],
  ["arrows", "move by 10 cm; with Shift 1 m, with Alt 1 cm"],
  ["Page Up, Page Down", "lift and lower by 10 cm"],
  ["[ and ]", "turn by 15°; with Alt 1°"],
  ["c", "linked copy"],
  ["Delete", "delete"],
  ["i", "hide or show"],
  ["k", "lock or unlock"],
  ["b", "put down on what is beneath"],
  ["x", "snapping on or off; Alt: off while held"],
  ["Shift while dragging", "along one axis; on the empty plan a frame about many"],
  ["click again", "the thing beneath"],
  ["y", "same again: one more copy, by the same way"],
  ["e", "settle: fall and tip until it rests"],
  ["g, u", "group, ungroup"],
  ["o", "look at these alone, and back"],
  ["h", "the blockout over what took its place"],
  ["a", "aim the camera at it"],
  ["q", "focus on it, and follow it"],
  ["p", "play the move, or stop"],
  ["n and m", "a frame back, a frame on"],
  ["w", "walk: arrows walk and turn, Page Up and Down fly, Shift faster"],
  ["Escape", "select nothing; what is in the hand goes back"],
  ["?", "this list"],
];

export function keys(v) {
  addEventListener("keydown", (e) => {
    if (aim(e).closest("input, select, textarea") || e.ctrlKey || e.metaKey) return;
    const step = e.shiftKey ? 1 : e.altKey ? 0.01 : 0.1;
    const acts = {
      ",": () => v.undo(),
      ".": () => v.redo(),
      "?": () => {
        v.keysShown = !v.keysShown;
      },
      Escape: () => {
        v.keysShown = false;
        if (v.walking) return v.walk();
        v.picking = "";
        v.matching.mode = "";
        if (v.tool) v.useTool("");
        else v.select("");
      },
      ArrowLeft: () => v.nudge(-step, 0, 0),
      ArrowRight: () => v.nudge(step, 0, 0),
      ArrowUp: () => v.nudge(0, 0, -step),
      ArrowDown: () => v.nudge(0, 0, step),
      PageUp: () => v.nudge(0, step, 0),
      PageDown: () => v.nudge(0, -step, 0),
      "[": () => v.turn(e.altKey ? 1 : 15),
      "]": () => v.turn(e.altKey ? -1 : -15),
      c: () => v.copy(),
      Delete: () => v.remove(),
      i: () => v.thing && v.changeAll({ hidden: !v.thing.hidden }),
      k: () => v.thing && v.changeAll({ locked: !v.thing.locked }),
      b: () => v.down(),
      y: () => v.repeatCopy(),
      e: () => v.fall(),
      g: () => v.groupThem(),
      u: () => v.groupOf && v.does("ungroup", { ids: [v.groupOf.id] }),
      o: () => v.alone(),
      h: () => {
        v.overlay = !v.overlay;
        v.draw();
      },
      x: () => {
        v.snapOn = !v.snapOn;
        localStorage.snap = v.snapOn ? "on" : "off";
      },
      a: () => v.one && v.does("aim", { id: v.one.id }),
      q: () => v.one && v.does("focus", { id: v.one.id }),
    };
    Object.assign(acts, {
      p: () => v.moveNow && v.play(),
      n: () => v.moveNow && v.stepFrame(-1),
      m: () => v.moveNow && v.stepFrame(1),
      w: () => v.walk(),
    });
    if (v.walking && v.lens.step(e)) return e.preventDefault();
    "intake size dress light frame shoot".split(" ").forEach((s, i) => {
      acts[String(i + 1)] = () => v.go(s);
    });
    // Arrows scroll lists and move sliders where those have the focus.
    if (e.key.startsWith("Arrow") && (!v.sel.length || aim(e).closest("[data-list]"))) return;
    const act = acts[e.key];
    if (act) {
      e.preventDefault();
      act();
    }
  });
}

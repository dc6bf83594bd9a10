// The few keys that are used all day. The list is what ? shows.
import { aim } from "./focus.js";
import { stores } from "./stores.js";

export const list = [
  ["1 … 7", "the seven steps"],
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
  ["f", "without the finish, and with it: of the lens view, at Shoot of the take"],
  ["t", "the true view, as it will be rendered, and back"],
  ["l", "the meter, at Light: arrows point it, with Shift farther"],
  ["v, r, s", "at Surface: take a material off, put it on, show the old one and the new"],
  ["v, r", "at Dress: take the material off what is selected, put it on all that is"],
  ["w", "walk: arrows walk and turn, Page Up and Down fly, Shift faster"],
  ["Escape", "select nothing; what is in the hand goes back"],
  ["?", "this list"],
];

export function keys(v) {
  addEventListener("keydown", (e) => {
    if (aim(e).closest("input, select, textarea") || e.ctrlKey || e.metaKey) return;
    const step = e.shiftKey ? 1 : e.altKey ? 0.01 : 0.1;
    // An arrow points the meter while it is in the hand, and else moves what is selected.
    const far = e.shiftKey ? 0.1 : 0.01,
      arrow = (x, y) =>
        stores.film.metering && v.on("light")
          ? stores.film.meterBy(x * far, y * far)
          : stores.dress.nudge(x * step, 0, y * step);
    const acts = {
      ",": () => v.undo(),
      ".": () => v.redo(),
      "?": () => {
        v.keysShown = !v.keysShown;
      },
      Escape: () => {
        v.keysShown = false;
        if (stores.film.walking) return stores.film.walk();
        if (stores.film.metering) return stores.film.meterOn();
        if (stores.dress.turningSky) return stores.dress.turnSkyOn();
        stores.dress.inHand = null;
        stores.surface.held = null;
        stores.film.picking = "";
        stores.film.matching.mode = "";
        if (stores.dress.tool) stores.dress.useTool("");
        else stores.dress.select("");
      },
      l: () => v.on("light") && stores.film.meterOn(),
      ArrowLeft: () => arrow(-1, 0),
      ArrowRight: () => arrow(1, 0),
      ArrowUp: () => arrow(0, -1),
      ArrowDown: () => arrow(0, 1),
      PageUp: () => stores.dress.nudge(0, step, 0),
      PageDown: () => stores.dress.nudge(0, -step, 0),
      "[": () => stores.dress.turn(e.altKey ? 1 : 15),
      "]": () => stores.dress.turn(e.altKey ? -1 : -15),
      t: () => stores.v.on("dress surface light frame") && stores.film.trueOn(),
      f: () => {
        if (!v.on("shoot")) stores.film.lensTo(stores.film.lensWay === "finish" ? "" : "finish");
        else if (stores.shoot.canDevelop) stores.shoot.developOn();
      },
      c: () => stores.dress.copy(),
      Delete: () => stores.dress.remove(),
      i: () => stores.dress.thing && stores.dress.changeAll({ hidden: !stores.dress.thing.hidden }),
      k: () => stores.dress.thing && stores.dress.changeAll({ locked: !stores.dress.thing.locked }),
      b: () => stores.dress.down(),
      y: () => stores.dress.repeatCopy(),
      e: () => stores.dress.fall(),
      g: () => stores.dress.groupThem(),
      u: () => stores.dress.groupOf && v.does("ungroup", { ids: [stores.dress.groupOf.id] }),
      o: () => stores.dress.alone(),
      h: () => {
        stores.dress.overlay = !stores.dress.overlay;
        v.draw();
      },
      x: () => {
        v.snapOn = !v.snapOn;
        localStorage.snap = v.snapOn ? "on" : "off";
      },
      a: () => stores.dress.one && v.does("aim", { id: stores.dress.one.id }),
      q: () => stores.dress.one && v.does("focus", { id: stores.dress.one.id }),
    };
    Object.assign(acts, {
      p: () => stores.film.moveNow && stores.film.play(),
      n: () => stores.film.moveNow && stores.film.stepFrame(-1),
      m: () => stores.film.moveNow && stores.film.stepFrame(1),
      w: () => stores.film.walk(),
      v: () => (v.on("surface") ? stores.surface.hold() : v.on("dress") && stores.surface.holdSelected()),
      r: () => {
        if (!stores.surface.held) return;
        if (v.on("surface")) stores.surface.putOn();
        else if (v.on("dress")) stores.surface.putOnSelected();
      },
      s: () => v.on("surface") && stores.surface.toggle(),
    });
    if (stores.film.walking && v.lens.step(e)) return e.preventDefault();
    "intake size dress surface light frame shoot".split(" ").forEach((s, i) => {
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

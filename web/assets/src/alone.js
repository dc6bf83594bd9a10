// A thing by itself, as the renderer draws it: turned by hand or as on a turntable, in a choice of lights.
import { stores } from "./stores.js";

const coarse = 160, // pixels while it is turned
  fine = 352,
  step = Math.PI / 12; // of the turntable

export function alonePanel() {
  return {
    lights: ["overcast", "low sun", "studio", "night", "the shot's"],
    light: localStorage.aloneLight || "studio",
    person: false,
    turn: 0.5,
    turning: false, // by hand
    going: false, // the turntable
    opened: false,
    shown: "",
    busy: false,
    // url is the picture that is wanted now.
    get url() {
      const m = stores.surface.made;
      if (!m || !stores.v.st) return "";
      const at = new URLSearchParams({
        thing: m.thing,
        piece: m.piece,
        light: this.light,
        turn: this.turn.toFixed(3),
        person: this.person ? "1" : "",
        wide: String(this.turning || this.going ? coarse : fine),
        of: String(stores.v.st.revision),
      });
      return `/api/sets/${document.documentElement.dataset.set}/alone?${at}`;
    },
    // follow asks for the picture that is wanted, one after the other.
    follow() {
      if (this.busy || !this.url || this.url === this.shown) return;
      this.busy = true;
      this.shown = this.url;
    },
    came() {
      this.busy = false;
      if (this.going) this.turn += step;
      this.follow();
    },
    failed() {
      this.busy = this.going = false;
      stores.v.say("It cannot be drawn by itself.", true);
    },
    lightTo(x) {
      this.light = localStorage.aloneLight = x;
      this.follow();
    },
    press(e) {
      const from = e.clientX,
        was = this.turn,
        img = e.currentTarget,
        move = (p) => {
          this.turning = true;
          this.turn = was - (p.clientX - from) * 0.012;
          this.follow();
        },
        done = () => {
          img.removeEventListener("pointermove", move);
          this.turning = false;
          this.follow();
        };
      e.preventDefault();
      img.setPointerCapture(e.pointerId);
      img.addEventListener("pointermove", move);
      img.addEventListener("pointerup", done, { once: true });
      img.addEventListener("pointercancel", done, { once: true });
    },
    by(n) {
      this.turn += n * step;
      this.follow();
    },
    go() {
      this.going = !this.going;
      if (this.going) this.turn += step;
      this.follow();
    },
  };
}

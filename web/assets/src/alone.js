// A thing by itself, as the renderer draws it: turned by hand or as on a turntable, in a choice of lights.
import { call, handIn, setID } from "./ask.js";
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
    glimpsed: "", // what was seen coarsely
    // wanted is what is to be seen now.
    get wanted() {
      const m = stores.surface.made;
      if (!m || !stores.v.st) return "";
      const at = new URLSearchParams({
        thing: m.thing,
        piece: m.piece,
        light: this.light,
        turn: this.turn.toFixed(3),
        person: this.person ? "1" : "",
        of: String(stores.v.st.revision),
      });
      return `/api/sets/${setID()}/alone?${at}`;
    },
    // url is its picture: a coarse one first.
    get url() {
      const w = this.wanted;
      return w && `${w}&wide=${this.turning || this.going || this.glimpsed !== w ? coarse : fine}`;
    },
    // follow asks for the picture that is wanted, one after the other.
    follow() {
      if (this.busy || !this.url || this.url === this.shown) return;
      this.busy = true;
      this.asked = this.wanted;
      this.shown = this.url;
    },
    asked: "",
    came() {
      this.busy = false;
      this.glimpsed = this.asked;
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
    // keep makes what is seen the picture of its piece in the library.
    async keep() {
      const { piece, name } = stores.surface.made;
      try {
        const picture = await call(`${this.wanted}&wide=${fine}`, { raw: true }),
          blob = await handIn(stores.v.st.production.id, new Blob([picture]));
        await stores.v.does("recipe", { id: piece, step: { op: "portrait", name: blob } });
        stores.v.say(`${name} is seen so in the library`);
      } catch (e) {
        stores.v.say(e.message, true);
      }
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

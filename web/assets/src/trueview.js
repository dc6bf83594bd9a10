// The true view: the picture of the lens view as the renderer makes it, laid over it in the same frame. The
// server makes it again and again as the set changes; here it is asked for and shown.
import { call, pngURL, until } from "./ask.js";
import { ways } from "./otherwise.js";
import { stores } from "./stores.js";

// How much noise may be left, as a share of what is seen.
const cleans = [0.4, 0.2, 0.1, 0.05, 0.02, 0.01];

export function trueView() {
  let later,
    down = false,
    asking; // what is asked for now, which waits for news: it is given up when something else is wanted
  // The lens view follows the hand, and is seen until the true view shows what the hand did.
  const letGo = () => {
    if (!down && stores.film.trueOfNow) stores.film.trueHeld = false;
  };
  addEventListener("pointerdown", () => {
    clearTimeout(later);
    down = true;
    if (!stores.film.truly) return;
    stores.film.trueHeld = true;
    stores.v.lens?.invalidate();
  });
  for (const end of ["pointerup", "pointercancel"])
    addEventListener(end, () => {
      clearTimeout(later);
      down = false;
      later = setTimeout(letGo, 250); // what it did is an edit a moment after it let go
    });
  return {
    truly: false, // it is wanted
    trueNow: null, // what the server last said of it
    truePicture: "", // its URL
    trueHeld: false, // something is in the hand: then the lens view is seen, which follows it
    lensWay: "", // how the lens view is looked at, for a moment
    lensWays: ways,
    lensTo(way) {
      this.lensWay = way;
      if (this.truly) this.trueOn();
      stores.v.drawLens();
    },
    partDrawn: null, // on the way
    parting: false, // a part of it is being drawn
    truePart: null, // that alone is made: left, top, right, bottom as shares of the picture
    trueWhole: "", // the whole picture, while a part is made
    get partWords() {
      return this.truePart ? "whole again" : "a part";
    },
    get partPressed() {
      return this.parting || Boolean(this.truePart);
    },
    partOn() {
      if (this.truePart) return this.partTo(null);
      this.parting = !this.parting;
      if (this.parting) stores.v.say("Draw a rectangle in the picture: all the work goes there.");
    },
    partTo(part) {
      this.parting = false;
      if (part && !this.truePart) {
        this.trueWhole = this.truePicture;
        this.truePicture = "";
      } else if (!part) {
        URL.revokeObjectURL(this.trueWhole);
        this.trueWhole = "";
      }
      this.truePart = part;
      asking?.abort();
      stores.v.lens?.remark();
    },
    falseBy: "", // drawn by stops, cd or lux; "": as it is
    falsePicture: "",
    falseWays: [
      ["", "as it is"],
      ["stops", "by stops"],
      ["cd", "by luminance"],
      ["lux", "by illuminance"],
    ],
    trueClean: Number(localStorage.clean) || 0.1,
    cleans,
    // trueOn shows it, or the lens view again.
    trueOn() {
      this.truly = !this.truly;
      if (this.truly) this.followTrue();
      else this.dropTrue();
      stores.v.drawLens();
    },
    dropTrue() {
      URL.revokeObjectURL(this.truePicture);
      this.truePicture = "";
      this.trueNow = null;
      this.partTo(null);
      this.dropFalse();
    },
    dropFalse() {
      URL.revokeObjectURL(this.falsePicture);
      this.falsePicture = "";
    },
    // falseTo draws it by its brightness, or as it is.
    falseTo(by) {
      this.falseBy = by;
      this.dropFalse();
      return this.drawFalse();
    },
    async drawFalse() {
      const by = this.falseBy;
      if (!by || !this.truePicture) return;
      try {
        const set = document.documentElement.dataset.set,
          url = pngURL(await call(`/api/sets/${set}/false?by=${by}`, { raw: true }));
        if (by !== this.falseBy || !this.truePicture) return URL.revokeObjectURL(url);
        this.dropFalse();
        this.falsePicture = url;
      } catch (e) {
        stores.v.say(e.message);
      }
    },
    get trueSource() {
      return this.falsePicture || this.truePicture || null;
    },
    cleanTo(x) {
      this.trueClean = localStorage.clean = Number(x);
      asking?.abort();
    },
    // followTrue asks for what is newer than what is shown, until it is not wanted any more.
    async followTrue() {
      const wanted = () => this.truly && stores.v.on("dress surface light frame");
      let seen = 0;
      while (this.truly) {
        if (!wanted() || document.hidden || !stores.v.lens?.viewNow) {
          await new Promise((go) => setTimeout(go, 200));
          continue;
        }
        const lens = stores.v.lens,
          f = lens.frame(),
          wide = Math.min(Math.max(Math.round(f.w * devicePixelRatio), 16), 1920);
        try {
          const set = document.documentElement.dataset.set,
            path = `/api/sets/${set}/true?width=${wide}&seen=${seen}&clean=${this.trueClean}` +
              (this.truePart ? `&part=${this.truePart.map((x) => x.toFixed(4)).join()}` : ""),
            { signal } = (asking = new AbortController()),
            ask = () =>
              call(path, { picture: true, signal }).catch((e) => {
                if (signal.aborted) return { again: true };
                throw e;
              }),
            answer = await until(ask, wanted);
          if (!answer || answer.again) continue;
          seen = answer.told.number;
          if (!this.truly) return;
          this.trueNow = answer.told;
          letGo();
          const asked = this.truePart ? this.truePart.map((x) => Number(x.toFixed(4))).join() : "0,0,0,0";
          if (answer.picture.size && answer.told.part.join() === asked) {
            URL.revokeObjectURL(this.truePicture);
            this.truePicture = URL.createObjectURL(answer.picture);
            this.drawFalse();
            lens.remark();
          }
          if (answer.told.state === "failed") throw new Error(answer.told.said);
        } catch (e) {
          this.truly = false;
          this.dropTrue();
          stores.v.say(e.message, true);
        }
      }
    },
    // trueCovers says whether the picture lies over the lens view, which then need not be kept up.
    get trueCovers() {
      return this.truly && Boolean(this.truePicture || this.trueWhole) && !this.trueHeld && !this.playing;
    },
    // trueOfNow says whether it shows the set as it is now.
    get trueOfNow() {
      return this.trueNow?.revision >= stores.v.st.revision;
    },
    get trueShown() {
      return this.trueCovers && this.trueOfNow;
    },
    get trueSaid() {
      const t = this.trueNow,
        percent = (x) => `${Number((100 * x).toPrecision(2))} %`;
      if (!t || t.state === "loading") return "true view: the set is being loaded";
      if (t.state === "waiting") return "true view: waits, another set's is being made";
      if (!this.trueOfNow) return "true view: of before the last edit";
      if (!t.samples) return "true view: a first glance";
      const noise = t.noise ? `, ${percent(t.noise)} noise left` : "";
      if (t.state === "clean") return `true view: ${t.samples} samples${noise}; clean, in ${t.seconds.toFixed(1)} s`;
      const left = t.left ? `, ${t.left < 90 ? Math.ceil(t.left) + " s" : Math.ceil(t.left / 60) + " min"} to go` : "";
      return `true view: ${t.samples} samples${noise}${left}`;
    },
    // trueDone is how far it is, 0 to 1: the corners of the frame fill by it.
    get trueDone() {
      const t = this.trueNow;
      if (!this.truly || !t?.samples) return 0;
      return t.state === "clean" ? 1 : Math.min((t.clean / (t.noise || 1)) ** 2, 1);
    },
  };
}

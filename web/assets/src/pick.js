// A colour is picked off any picture on the page: of the board, a sample, the true view, or the lens view.
import { stores } from "./stores.js";

// texel is the colour of what is drawn of a picture at a place of the page, #rrggbb; "" beside it.
function texel(pic, x, y, wide, high) {
  const box = pic.getBoundingClientRect(),
    cover = getComputedStyle(pic).objectFit === "cover",
    kx = box.width / wide,
    ky = box.height / high,
    [sx, sy] = cover ? [Math.max(kx, ky), Math.max(kx, ky)] : [kx, ky],
    u = wide / 2 + (x - box.x - box.width / 2) / sx,
    v = high / 2 + (y - box.y - box.height / 2) / sy;
  if (!(u >= 0 && v >= 0 && u < wide && v < high)) return "";
  const c = document.createElement("canvas");
  c.width = c.height = 1;
  const to = c.getContext("2d");
  to.drawImage(pic, Math.floor(u), Math.floor(v), 1, 1, 0, 0, 1, 1);
  const [r, g, b] = to.getImageData(0, 0, 1, 1).data;
  return "#" + [r, g, b].map((n) => n.toString(16).padStart(2, "0")).join("");
}

export function picking() {
  return {
    picking: "", // the value that a colour is picked for
    // pick waits for a press on a picture; pressed again it waits no more.
    pick(key) {
      if (this.picking) return this.noPick();
      this.picking = key;
      stores.v.say("press on any picture: its colour there is taken; Escape gives it up");
      document.body.classList.add("cursor-crosshair");
      document.addEventListener("pointerdown", picked, true);
      document.addEventListener("keydown", escaped, true);
    },
    noPick() {
      this.picking = "";
      document.body.classList.remove("cursor-crosshair");
      document.removeEventListener("pointerdown", picked, true);
      document.removeEventListener("keydown", escaped, true);
      stores.v.say("");
    },
  };
}

async function picked(e) {
  const s = stores.surface,
    key = s.picking,
    all = document.elementsFromPoint(e.clientX, e.clientY),
    pic = /** @type {any} */ (
      all.find((x) => x instanceof HTMLImageElement && x.naturalWidth) || all.find((x) => x.tagName === "CANVAS")
    );
  if (e.target.closest?.("[data-pick]")) return; // the button that gives it up
  e.preventDefault();
  e.stopPropagation();
  if (!pic) return stores.v.say("There is no picture: press on one of the board, a sample or the view.", true);
  const lens = stores.v.lens,
    color =
      pic.tagName === "IMG"
        ? texel(pic, e.clientX, e.clientY, pic.naturalWidth, pic.naturalHeight)
        : pic === lens?.canvas
          ? await lens.whilePainted(() => texel(pic, e.clientX, e.clientY, pic.width, pic.height))
          : "";
  s.noPick();
  if (!color) return stores.v.say("Nothing is drawn there.", true);
  stores.v.say(`${color} is taken`);
  await s.put(key, color);
}

function escaped(e) {
  if (e.key !== "Escape") return;
  e.stopPropagation();
  stores.surface.noPick();
}

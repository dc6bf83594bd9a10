// Elements of SVG.
const ns = "http://www.w3.org/2000/svg";
export function make(tag, attrs = {}, text) {
  const e = document.createElementNS(ns, tag);
  for (const k in attrs) {
    if (attrs[k] == null) continue;
    if (k === "style")
      e.style.cssText = attrs[k]; // as an attribute the page's own policy refuses it
    else e.setAttribute(k, attrs[k]);
  }
  if (text != null) e.textContent = text;
  return e;
}

// halo keeps what is written on the paper legible over lines.
export const halo = { stroke: "#cbcbcb", "stroke-width": 4, "paint-order": "stroke" };

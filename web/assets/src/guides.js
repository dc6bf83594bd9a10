// Guides over the lens view: lines of the frame that an eye is led by.

// guides are SVG paths for a frame at x, y of w x h, by their names. horizon is
// where it crosses the frame's left and right edge, 0..1 from its top.
export function guides(names, f, horizon) {
  const line = (d, more = "") => `<path fill='none' stroke='#ffffff' stroke-opacity='.38' d='${d}' ${more}/>`;
  const { x, y, w, h } = f,
    at = (p, q) => `${x + w * p} ${y + h * q}`;
  const rules = (list) => list.map((k) => `M${at(k, 0)}v${h}M${at(0, k)}h${w}`).join("");
  const golden = (Math.sqrt(5) - 1) / 2,
    out = [];
  for (const n of names) {
    if (n === "thirds") out.push(line(rules([1 / 3, 2 / 3])));
    if (n === "golden") out.push(line(rules([1 - golden, golden]), "stroke-dasharray='8 4'"));
    if (n === "diagonals") {
      // of the frame, and from its corners at right angles to them
      const k = (h * h) / (w * w + h * h),
        m = (w * w) / (w * w + h * h);
      out.push(
        line(`M${at(0, 0)}L${at(1, 1)}M${at(0, 1)}L${at(1, 0)}`),
        line(
          `M${at(0, 1)}L${at(k, k)}M${at(1, 0)}L${at(m, m)}M${at(0, 0)}L${at(k, 1 - k)}M${at(1, 1)}L${at(m, 1 - m)}`,
          "stroke-dasharray='4 4'",
        ),
      );
    }
    if (n === "cross") out.push(line(`M${x + w / 2 - 14} ${y + h / 2}h28M${x + w / 2} ${y + h / 2 - 14}v28`));
    if (n === "safe")
      for (const k of [0.9, 0.8])
        out.push(
          `<rect x='${x + (w * (1 - k)) / 2}' y='${y + (h * (1 - k)) / 2}' width='${w * k}' height='${h * k}' ` +
            `fill='none' stroke='#ffffff' stroke-opacity='.5' stroke-dasharray='${k === 0.9 ? "" : "3 3"}'>` +
            `<title>${k === 0.9 ? "action" : "title"} safe, ${k * 100} %</title></rect>`,
        );
    if (n === "horizon" && horizon?.length === 2)
      out.push(
        `<path fill='none' stroke='#ffffff' stroke-opacity='.85' stroke-dasharray='14 3 2 3' ` +
          `d='M${at(0, horizon[0])}L${at(1, horizon[1])}' data-horizon=''/>`,
      );
  }
  return out.join("");
}

// letterbox dims what a mask of another aspect leaves out of the frame.
export function letterbox(mask, f) {
  if (!mask) return "";
  const a = f.w / f.h,
    w = Math.min(f.w, f.h * mask),
    h = Math.min(f.h, f.w / mask);
  if (Math.abs(a - mask) < 1e-6) return "";
  const x = f.x + (f.w - w) / 2,
    y = f.y + (f.h - h) / 2;
  return (
    `<path fill-rule='evenodd' fill='#000' fill-opacity='.75' d='M${f.x} ` +
    `${f.y}h${f.w}v${f.h}h${-f.w}ZM${x} ${y}v${h}h${w}v${-h}Z' data-letterbox=''/>`
  );
}

// The picture that a palette is held against, with surfaces pulled, before they are: each texel of a surface is changed
// by as much as its colour is, less where there is air before it. Light that it throws on others stays as it was.

// pictureOf reads what the server tells of the picture: its texels, and which stray is seen at each.
export async function pictureOf({ picture, mask, through, wide, high }) {
  const img = new Image();
  img.src = `data:image/png;base64,${picture}`;
  await img.decode();
  const c = document.createElement("canvas");
  c.width = wide;
  c.height = high;
  const to = c.getContext("2d");
  to.drawImage(img, 0, 0);
  return { wide, high, texels: to.getImageData(0, 0, wide, high).data, of: atob(mask), through: atob(through) };
}

// rgb is a colour of CSS as sRGB from 0 to 255.
function rgb(color) {
  const c = document.createElement("canvas");
  c.width = c.height = 1;
  const to = c.getContext("2d", { willReadFrequently: true });
  to.fillStyle = color;
  to.fillRect(0, 0, 1, 1);
  return [...to.getImageData(0, 0, 1, 1).data.slice(0, 3)];
}

// IEC 61966-2-1.
const linear = Array.from({ length: 256 }, (_, i) =>
  i <= 10 ? i / 255 / 12.92 : ((i / 255 + 0.055) / 1.055) ** 2.4,
);
const encoded = (x) => 255 * (x <= 0.0031308 ? 12.92 * x : 1.055 * Math.min(x, 1) ** (1 / 2.4) - 0.055);

const most = 4; // times that a texel becomes brighter

// drawPulled draws the picture on a canvas: changes are, for each stray, its colour now and then; null: it stays.
export function drawPulled(canvas, { wide, high, texels, of, through }, changes) {
  const times = changes.map((c) => {
    if (!c) return null;
    const [now, then] = c.map(rgb);
    return now.map((x, k) => linear[then[k]] / Math.max(linear[x], 0.002));
  });
  canvas.width = wide;
  canvas.height = high;
  const to = canvas.getContext("2d"),
    out = to.createImageData(wide, high);
  for (let i = 0; i < wide * high; i++) {
    const k = times[of.charCodeAt(i) - 1],
      share = through.charCodeAt(i) / 255;
    for (let c = 0; c < 3; c++) {
      const x = texels[4 * i + c];
      out.data[4 * i + c] = k ? encoded(linear[x] * (1 + (Math.min(k[c], most) - 1) * share)) : x;
    }
    out.data[4 * i + 3] = 255;
  }
  to.putImageData(out, 0, 0);
}

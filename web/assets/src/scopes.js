// Scopes of a picture: how many pixels have which value, where across the picture they lie, and which hues they have.

const wide = 240; // of what is measured: a scope shows no more

// measured are the pixels of a picture, on a canvas or at an address.
async function measured(source) {
  let picture = source;
  if (typeof source === "string") {
    if (!source) return null;
    picture = new Image();
    picture.src = source;
    await picture.decode();
  }
  const w = Math.min(wide, picture.naturalWidth || picture.width),
    tall = (picture.naturalHeight || picture.height) / (picture.naturalWidth || picture.width),
    h = Math.max(Math.round(w * tall), 1),
    c = Object.assign(document.createElement("canvas"), { width: w, height: h }),
    ink = c.getContext("2d", { willReadFrequently: true });
  ink.drawImage(picture, 0, 0, w, h);
  return ink.getImageData(0, 0, w, h);
}

const luma = (d, i) => 0.2126 * d[i] + 0.7152 * d[i + 1] + 0.0722 * d[i + 2];

// counted is how many pixels have each of 256 values: red, green, blue, and luma (Rec.709, of values as shown).
export function counted({ data }) {
  const n = [0, 1, 2, 3].map(() => new Uint32Array(256));
  for (let i = 0; i < data.length; i += 4) {
    for (let k = 0; k < 3; k++) n[k][data[i + k]]++;
    n[3][Math.round(luma(data, i))]++;
  }
  return n;
}

const inks = ["rgba(255,90,80,0.75)", "rgba(80,220,110,0.75)", "rgba(95,140,255,0.75)", "rgba(225,225,220,0.9)"];

function histogram(canvas, picture) {
  const { width: w, height: h } = canvas,
    ink = canvas.getContext("2d"),
    n = counted(picture),
    most = Math.max(...n.flatMap((list) => [...list].slice(1, 255)), 1);
  ink.clearRect(0, 0, w, h);
  n.forEach((list, k) => {
    ink.beginPath();
    list.forEach((x, v) => {
      ink.lineTo((v / 255) * w, h - 1 - Math.min(Math.sqrt(x / most), 1) * (h - 2));
    });
    ink.strokeStyle = inks[k];
    ink.stroke();
  });
  // What is cut off at both ends.
  const all = picture.data.length / 4,
    share = (v) => ((100 * n[3][v]) / all).toFixed(1);
  canvas.title = `black ${share(0)} %, white ${share(255)} % of the picture`;
}

// spots draws dots that add up where they meet.
function spots(canvas, picture, place, strength) {
  const { width: w, height: h } = canvas,
    ink = canvas.getContext("2d"),
    out = ink.createImageData(w, h),
    sum = new Float32Array(3 * w * h),
    { data } = picture;
  for (let i = 0; i < data.length; i += 4)
    place(i, (x, y, r, g, b) => {
      const px = Math.min(Math.max(Math.round(x * (w - 1)), 0), w - 1),
        at = 3 * (Math.min(Math.max(Math.round(y * (h - 1)), 0), h - 1) * w + px);
      sum[at] += r;
      sum[at + 1] += g;
      sum[at + 2] += b;
    });
  for (let i = 0; i < w * h; i++) {
    let most = 0;
    for (let k = 0; k < 3; k++) {
      const v = 255 * (1 - Math.exp(-strength * sum[3 * i + k]));
      out.data[4 * i + k] = v;
      most = Math.max(most, v);
    }
    out.data[4 * i + 3] = most;
  }
  ink.putImageData(out, 0, 0);
}

function waveform(canvas, picture) {
  const { data, width } = picture;
  spots(
    canvas,
    picture,
    (i, dot) => {
      const x = ((i / 4) % width) / (width - 1 || 1);
      dot(x, 1 - data[i] / 255, 1, 0.25, 0.25);
      dot(x, 1 - data[i + 1] / 255, 0.25, 1, 0.25);
      dot(x, 1 - data[i + 2] / 255, 0.35, 0.45, 1);
    },
    14 / picture.height,
  );
}

const enlarged = 2; // hues of most pictures lie near the middle

// vectors draws the two differences of colour of Rec.709 (ITU-R BT.709: Cb to the right, Cr up).
function vectors(canvas, picture) {
  const { data } = picture;
  spots(
    canvas,
    picture,
    (i, dot) => {
      const y = luma(data, i),
        cb = (enlarged * (data[i + 2] - y)) / (1.8556 * 255),
        cr = (enlarged * (data[i] - y)) / (1.5748 * 255);
      dot(0.5 + cb, 0.5 - cr, 0.2 + data[i] / 255, 0.2 + data[i + 1] / 255, 0.2 + data[i + 2] / 255);
    },
    500 / (data.length / 4),
  );
  const ink = canvas.getContext("2d"),
    { width: w, height: h } = canvas;
  ink.strokeStyle = "rgba(200,200,195,0.35)";
  ink.beginPath();
  ink.ellipse(w / 2, h / 2, w / 4, h / 4, 0, 0, 2 * Math.PI);
  ink.moveTo(w / 2 - 4, h / 2);
  ink.lineTo(w / 2 + 4, h / 2);
  ink.moveTo(w / 2, h / 2 - 4);
  ink.lineTo(w / 2, h / 2 + 4);
  ink.stroke();
}

const kinds = { histogram, waveform, vectors };
let newest = 0;

// drawScopes draws the scopes of a box, each a canvas with data-scope.
export async function drawScopes(box, source) {
  const mine = ++newest,
    picture = await measured(source).catch(() => null);
  if (!picture || mine !== newest) return;
  for (const c of box.querySelectorAll("canvas[data-scope]")) kinds[c.dataset.scope](c, picture);
  box.dataset.measured = `${picture.width} × ${picture.height}`;
}

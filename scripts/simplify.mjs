// node simplify.mjs FILE.obj TRIANGLES OUT.obj: reduces a mesh with npm's
// meshoptimizer, for comparison.
import fs from "node:fs";
import { MeshoptSimplifier } from "meshoptimizer";

await MeshoptSimplifier.ready;
const [file, count, out] = process.argv.slice(2);
const places = [], corners = [];
for (const line of fs.readFileSync(file, "utf8").split("\n")) {
  const f = line.split(" ");
  if (f[0] === "v") places.push(+f[1], +f[2], +f[3]);
  else if (f[0] === "f") for (let i = 1; i < 4; i++) corners.push(parseInt(f[i]) - 1);
}
const positions = new Float32Array(places), indices = new Uint32Array(corners);
const start = performance.now();
const [left] = MeshoptSimplifier.simplify(indices, positions, 3, count * 3, 1);
console.log(`simplified to ${left.length / 3} triangles in ${((performance.now() - start) / 1000).toFixed(3)} s`);
let text = "";
for (let i = 0; i < places.length; i += 3) text += `v ${places[i]} ${places[i + 1]} ${places[i + 2]}\n`;
for (let i = 0; i < left.length; i += 3) text += `f ${left[i] + 1} ${left[i + 1] + 1} ${left[i + 2] + 1}\n`;
fs.writeFileSync(out, text);

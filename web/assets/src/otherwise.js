// Other ways to look at the lens view for a moment.
import { MeshBasicMaterial, MeshLambertMaterial } from "three";

export const ways = [
  ["", "as it is"],
  ["edges", "edges"],
  ["clay", "clay"],
  ["sky", "without background"],
  ["air", "without air"],
  ["lamps", "without lamps"],
];

let clay, edges;
// otherwise gives a scene what is drawn in the place of its own surfaces; scale is its exposure.
export function otherwise(scene, way, scale) {
  if (way === "clay") clay ||= new MeshLambertMaterial({ color: 0x8c8984 }); // a quarter of the light
  if (way === "edges") {
    edges ||= new MeshBasicMaterial({ wireframe: true, fog: false });
    edges.color.setScalar(0.6 / scale); // as bright at any exposure
  }
  scene.overrideMaterial = way === "clay" ? clay : way === "edges" ? edges : null;
}

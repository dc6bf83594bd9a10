// Faces of a thing that were picked: core/surface's Faces, on what the lens view shows.
import { BufferGeometry, Matrix4, Mesh, Triangle, Vector3 } from "three";

const [a, b, c, q] = [new Vector3(), new Vector3(), new Vector3(), new Vector3()],
  near = new Vector3(),
  m = new Matrix4(),
  tri = new Triangle(a, b, c);

// corner is the vertex of a corner of a triangle.
const corner = (g, i) => (g.index ? g.index.getX(i) : i);

// find is the mesh and the triangle nearest to a place in metres; inner brings the model to metres.
function find(meshes, inner, at) {
  let best = Infinity,
    mesh = null,
    first = 0;
  q.set(at.x, at.y, at.z);
  for (const o of meshes) {
    const p = o.geometry.attributes.position,
      n = o.geometry.index ? o.geometry.index.count : p.count;
    m.multiplyMatrices(inner, o.matrixWorld);
    for (let i = 0; i + 2 < n; i += 3) {
      [a, b, c].forEach((v, k) => v.fromBufferAttribute(p, corner(o.geometry, i + k)).applyMatrix4(m));
      const d = tri.closestPointToPoint(q, near).distanceToSquared(q);
      if (d < best) [best, mesh, first] = [d, o, i / 3];
    }
  }
  return { mesh, first };
}

// grow tells which triangles of a geometry hang together with one, over edges that turn by at most so many degrees.
function grow(g, first, by, angle) {
  const p = g.attributes.position,
    n = Math.floor((g.index ? g.index.count : p.count) / 3);
  if (by === "part") return new Array(n).fill(true);
  const known = new Map(),
    vertex = (i) => {
      const key = `${p.getX(i)} ${p.getY(i)} ${p.getZ(i)}`;
      if (!known.has(key)) known.set(key, known.size);
      return known.get(key);
    },
    sides = [],
    normals = [],
    of = new Map(),
    limit = by === "angle" ? Math.cos((angle * Math.PI) / 180) - 1e-6 : -2,
    inside = new Array(n).fill(false);
  for (let t = 0; t < n; t++) {
    const at = [0, 1, 2].map((k) => corner(g, 3 * t + k)),
      v = at.map(vertex);
    sides.push(v.map((x, k) => [x, v[(k + 1) % 3]].sort((x, y) => x - y).join(" ")));
    for (const s of sides[t]) of.set(s, [...(of.get(s) || []), t]);
    [a, b, c].forEach((x, k) => x.fromBufferAttribute(p, at[k]));
    normals.push(tri.getNormal(new Vector3()));
  }
  inside[first] = true;
  for (const front = [first]; front.length; ) {
    const t = front.pop();
    for (const s of sides[t])
      for (const o of of.get(s))
        if (!inside[o] && normals[t].dot(normals[o]) >= limit) {
          inside[o] = true;
          front.push(o);
        }
  }
  return inside;
}

// only is a geometry with some of the triangles of another, which share its vertices.
function only(g, inside, wanted) {
  const out = new BufferGeometry(),
    index = [];
  inside.forEach((is, t) => {
    if (is === wanted) index.push(corner(g, 3 * t), corner(g, 3 * t + 1), corner(g, 3 * t + 2));
  });
  for (const [name, attribute] of Object.entries(g.attributes)) out.setAttribute(name, attribute);
  out.setIndex(index);
  return out;
}

// part gives picked faces of a model a mesh of their own, which is told.
export function part(model, inner, faces) {
  const meshes = [];
  model.traverse((o) => o.isMesh && !Array.isArray(o.material) && meshes.push(o));
  const { mesh, first } = find(meshes, inner, faces.at);
  if (!mesh) return null;
  const inside = grow(mesh.geometry, first, faces.by, faces.angle || 0);
  if (inside.every(Boolean)) return mesh;
  const own = new Mesh(only(mesh.geometry, inside, true), mesh.material);
  own.castShadow = mesh.castShadow;
  own.receiveShadow = mesh.receiveShadow;
  own.userData = mesh.userData;
  mesh.geometry = only(mesh.geometry, inside, false);
  mesh.add(own);
  own.updateMatrixWorld(true);
  return own;
}

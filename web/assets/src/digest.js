// digest is a short name for a text: 32 bits by FNV-1a (Fowler, Noll, Vo; RFC 9923), in
// base 36. The build sees to it that no two expressions have the same.
export function digest(text) {
  let h = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193);
  return (h >>> 0).toString(36);
}

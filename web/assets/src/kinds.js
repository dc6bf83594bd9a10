// How kinds of elements are drawn on the plan that say so themselves: as the server tells, by
// kind.
const told = {};

// learn takes in what the server tells.
export function learn(drawn) {
  Object.assign(told, drawn);
}
// drawing is how a kind is drawn: its way (point, points or area), the key of its description
// that the points are, what the hand does, and the row of tools that it is in.
export const drawing = (kind) => told[kind];
export const drawn = () => Object.entries(told);

// Long lists: manifest, pieces and library have a row for everything, so each is
// drawn as a whole and not row by row.
import { active } from "./focus.js";
import { stores } from "./stores.js";

function node(tag, cls, text, more) {
  return Object.assign(document.createElement(tag), { className: cls, textContent: text }, more);
}

// fill puts rows into a list. Those that stay as they are stay in the page: what is being
// pressed, dragged or has the focus is not taken from under the hand. Rows are known by
// data-key.
function fill(list, rows) {
  const old = new Map([...list.children].map((n) => [n.dataset.key, n])),
    held = list.contains(active()) ? active().closest("[data-key]")?.getAttribute("data-key") : "";
  const next = rows.map((n) => {
      const o = old.get(n.dataset.key);
      return o && same(o, n) ? o : n;
    }),
    stay = new Set(next);
  let at = list.firstElementChild;
  for (const n of next) {
    while (at && !stay.has(at)) {
      const gone = at;
      at = at.nextElementSibling;
      gone.remove();
    }
    if (n === at) at = at.nextElementSibling;
    else list.insertBefore(n, at);
  }
  while (at) {
    const gone = at;
    at = at.nextElementSibling;
    gone.remove();
  }
  if (held && !list.contains(document.activeElement)) {
    const row = list.querySelector(`[data-key="${CSS.escape(held)}"]`);
    (row?.matches("[tabindex]") ? row : row?.querySelector("button"))?.focus({ preventScroll: true });
  }
}
const ticked = (n) => n.querySelector("input")?.checked;
const same = (a, b) => a.outerHTML === b.outerHTML && ticked(a) === ticked(b);

export function drawManifest(list, v) {
  fill(
    list,
    stores.dress.listed.map(([p, figure]) => {
      const seen = stores.dress.visible(p),
        row = node("li", "pick flex items-center gap-1" + (v.sel.includes(p.id) ? " on" : ""), "");
      const name = node("button", "flex-1 text-left truncate px-1" + (seen ? "" : " hint line-through"), p.name, {
        onclick: (e) => stores.dress.select(p.id, e.shiftKey),
      });
      row.dataset.key = p.id;
      name.dataset.name = p.name;
      row.onmouseenter = () => stores.film.setHover(p.id);
      row.onmouseleave = () => stores.film.setHover("");
      row.append(
        name,
        node("span", "hint num", String(figure)),
        node("span", "hint text-[12px]", stores.dress.locked(p) ? "locked" : ""),
      );
      return row;
    }),
  );
}

// stateOf says in a few words what is known about the size of a piece.
function stateOf(p) {
  if (p.sizing.decided) return "decided";
  const b = p.proposal;
  return !b ? "as it came" : (b.now ? "as it came, " : `${b.unit}, ${b.up} up: `) + stores.size.percent(b.score);
}

export function drawPieces(list, v) {
  fill(
    list,
    stores.dress.found.map((p) => {
      const row = node("tr", "pick" + (v.piece === p.id ? " on" : ""), "", {
        tabIndex: 0,
        onclick: () => stores.size.choosePiece(p.id),
        onkeydown: (e) => {
          if (e.key === "Enter") stores.size.choosePiece(p.id);
        },
      });
      row.dataset.key = row.dataset.name = p.id;
      const b = !p.sizing.decided && p.proposal;
      row.append(
        node("td", "pl-1 truncate", p.name),
        node("td", "hint truncate pr-2", p.facts.file),
        ...["x", "y", "z"].map((k) => node("td", "num", v.length(p.size[k]))),
        node("td", "num", p.facts.triangles.toLocaleString("en")),
        node("td", "truncate" + (b && !b.now ? " text-snag" : ""), stateOf(p)),
      );
      return row;
    }),
  );
  if (list.dataset.chosen === v.piece) return;
  list.dataset.chosen = v.piece; // what was chosen on the line-up is seen here too
  list.querySelector(".on")?.scrollIntoView({ block: "nearest" });
}

export function drawLibrary(list, v) {
  const row = (name, size, place, drag) => {
    const li = node("li", "flex items-center", ""),
      b = node("button", "pick w-full text-left px-1 flex justify-between gap-2", "", { onclick: place });
    li.dataset.key = drag || name;
    b.dataset.name = name;
    b.append(node("span", "truncate", name), node("span", "num hint", size));
    if (drag) Object.assign(b, { draggable: true, ondragstart: (e) => e.dataTransfer.setData("piece", drag) });
    li.append(b);
    if (drag) {
      // what is ticked is what rows, lines and drifts lay
      const tick = node("input", "", "", {
        type: "checkbox",
        checked: stores.dress.mix.includes(drag),
        onchange: () => {
          stores.dress.mix = tick.checked
            ? [...stores.dress.mix, drag]
            : stores.dress.mix.filter((id) => id !== drag);
        },
      });
      tick.setAttribute("aria-label", `${name} in the mix`);
      li.append(tick);
    }
    return li;
  };
  fill(list, [
    row("person, 1.75 m", "", () => stores.dress.place("", "person")),
    row("plain box", "", () => stores.dress.place("", "box")),
    ...stores.dress.found.map((p) =>
      row(p.name, v.length(Math.max(p.size.x, p.size.y, p.size.z)), () => stores.dress.place(p.id, ""), p.id),
    ),
  ]);
}

// The manifest: a row for everything in the set. It is long, so it is drawn
// as a whole and not row by row.
export function drawManifest(list, v) {
  const rows = v.listed.map((p) => {
    const row = document.createElement("li"), name = document.createElement("button"), lock = document.createElement("span");
    row.className = "pick flex items-center" + (v.sel.includes(p.id) ? " on" : "");
    name.className = "flex-1 text-left truncate px-1" + (p.hidden ? " hint line-through" : "");
    name.dataset.name = name.textContent = p.name;
    name.onclick = (e) => v.select(p.id, e.shiftKey);
    lock.className = "hint text-[12px]";
    lock.textContent = p.locked ? "locked" : "";
    row.append(name, lock);
    return row;
  });
  const held = list.contains(document.activeElement) && document.activeElement.dataset.name;
  list.replaceChildren(...rows);
  if (held) list.querySelector(`[data-name="${CSS.escape(held)}"]`)?.focus();
}

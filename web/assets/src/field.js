import { kept } from "./schema.js";
import { stores } from "./stores.js";

// complain says beside a field why what was typed there is refused; it stays to
// be mended.
export function complain(field, message) {
  content(field);
  field.classList.add("bad");
  field.setAttribute("aria-invalid", "true");
  const words = Object.assign(document.createElement("p"), { className: "complaint", textContent: message });
  words.setAttribute("role", "alert");
  const row = field.closest("label, .row, .row3"),
    next = field.nextElementSibling;
  if (row) row.append(words);
  else (next?.matches("span") ? next : field).after(words); // a row of a table of rows
  field.complaint = words;
}

// content takes a complaint back.
export function content(field) {
  field.classList.remove("bad");
  field.removeAttribute("aria-invalid");
  field.complaint?.remove();
  field.complaint = null;
}

// x-figure="expression" shows a value in a field that can be typed into. What
// is being typed is never overwritten by news from the server: the field shows
// the value again once it is kept, left or given up with Escape. What was
// refused (class "bad") stays to be mended.
export function figure(Alpine) {
  Alpine.directive("figure", (field, { expression }, { effect, evaluateLater, cleanup }) => {
    const read = evaluateLater(expression);
    let typing = false,
      value = "",
      givenUp = false;
    const show = () => {
      if (typing || field.classList.contains("bad") || field.value === value) return;
      const all =
        field === document.activeElement &&
        field.selectionEnd > 0 &&
        field.selectionEnd - field.selectionStart === field.value.length;
      field.value = value;
      if (all) field.select(); // what was about to be typed over still is
    };
    const key = (e) => {
      if (e.key !== "Escape") return;
      e.stopPropagation();
      typing = false;
      content(field);
      show();
      // What was typed makes the browser tell of a change when the field is left.
      givenUp = true;
      field.blur();
      givenUp = false;
    };
    const quiet = (e) => {
      if (givenUp) e.stopImmediatePropagation();
    };
    const on = {
      input: () => {
        typing = true;
      },
      change: () => {
        typing = false;
      },
      blur: () => {
        typing = false;
        show();
      },
      keydown: key,
    };
    field.addEventListener("change", quiet, true);
    for (const k in on) field.addEventListener(k, on[k]);
    cleanup(() => {
      field.removeEventListener("change", quiet, true);
      for (const k in on) field.removeEventListener(k, on[k]);
    });
    effect(() =>
      read((v) => {
        value = v ?? "";
        show();
      }),
    );
  });
}

// typing is x-typed:kind="call": what is typed into a field goes to the call as typed, in SI units.
// Kinds are those of the schema's fields: length in metres, angle in radians, percent as a share,
// count whole, number, color and text as they are; without one it is the field's data-kind. What cannot
// be read, or is refused, is told beside the field.
export function typing(Alpine) {
  Alpine.directive("typed", (field, { value, expression }, { evaluateLater, cleanup }) => {
    const call = evaluateLater(expression);
    const put = (typed) => new Promise((done) => call(done, { scope: { typed } }));
    const change = () => {
      const v = stores.v,
        kind = value || field.dataset.kind;
      if (kind === "length") return v.typed(field, put);
      if (kind === "color" || kind === "text") return put(field.value.trim());
      return v.typedNumber(field, (n) => put(kind === "count" ? Math.round(n) : kept(kind, n)));
    };
    field.addEventListener("change", change);
    cleanup(() => field.removeEventListener("change", change));
  });
  // x-chosen="call": the choice of a list goes to the call as chosen, and the list shows none again;
  // files go as a list of files.
  Alpine.directive("chosen", (field, { expression }, { evaluateLater, cleanup }) => {
    const call = evaluateLater(expression);
    const change = () => {
      const chosen = field.type === "file" ? [...field.files] : field.value;
      field.value = "";
      if (chosen.length) call(() => {}, { scope: { chosen } });
    };
    field.addEventListener("change", change);
    cleanup(() => field.removeEventListener("change", change));
  });
}

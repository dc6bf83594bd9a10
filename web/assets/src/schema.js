// Fields of documents, as the schema says: how they are shown, typed and put back. Panels
// are drawn from this; a document comes with what sets one of its keys.
// times is how much larger a figure is shown than it is kept.
const times = { angle: 180 / Math.PI, percent: 100 };
// kept is a figure as it is kept, of what is shown or typed.
export const kept = (kind, n) => n / (times[kind] || 1);

export const figures = {
  lightFields(part) {
    return (this.schema?.light || []).filter((f) => f.part === part);
  },
  // finishOf is a finishing step's settings as they are, over what it begins with.
  finishOf(step) {
    const begun = Object.fromEntries(step.fields.map((f) => [f.key, f.default]));
    return { ...begun, ...this.st.set.finish?.[step.name] };
  },
  setFinish(step, key, x) {
    const finish = { [step.name]: { ...this.finishOf(step), [key]: x } };
    return this.does("change set", { patch: { finish } });
  },
  figureOf(doc, key) {
    return key.split(".").reduce((o, part) => o?.[part], doc);
  },
  // wanted says that a field counts, as another one stands.
  wanted(f, doc) {
    const [key, value] = (f.when || "").split("=");
    return !key || this.figureOf(doc, key) === value;
  },
  // written is a figure as it is shown.
  written(f, x) {
    switch (f.kind) {
      case "length":
        return this.length(x || 0);
      case "angle":
        return this.degrees(x || 0, f.digits || undefined);
      case "percent":
        return this.number(100 * (x || 0), 1) + " %";
      case "count":
        return String(x ?? 0);
      case "color":
      case "text":
        return x || "";
      case "yes":
        return x ? "yes" : "no";
      case "choice":
      case "swatch":
        return x;
    }
    return this.number(x || 0, f.unit ? f.digits || 0 : 4) + (f.unit ? " " + f.unit : "");
  },
  // differs says that a figure is another than its document begins with.
  differs(f, doc) {
    const nothing = { yes: false, color: "", text: "" }[f.kind] ?? 0;
    return f.default !== null && (this.figureOf(doc, f.key) ?? nothing) !== f.default;
  },
  backWords(f) {
    return `${f.says || f.label}: back to ${this.written(f, f.default) || "none"}`;
  },
  // A slider goes by what is shown; what goes round comes back to its beginning.
  slideAt(f, doc) {
    const [from, to] = f.slide,
      x = (this.figureOf(doc, f.key) || 0) * (times[f.kind] || 1);
    return f.kind === "angle" && to - from === 360 ? ((((x - from) % 360) + 360) % 360) + from : x;
  },
  slideTo(f, value) {
    return kept(f.kind, Number(value));
  },
  // slid is while a slider is held: panels that show at once what it would make say so by tries.
  slid(panel, f, value) {
    panel.tries?.(f.key, this.slideTo(f, value));
  },
  slideWords(f) {
    return (f.says || f.label).replace(/ in [a-z]+$/, "");
  },
};

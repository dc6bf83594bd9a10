// The expressions in the attributes of the templates, made into functions when the page is
// built: the page makes no text into code, and its policy forbids it. Each is known by the
// digest of its text. A name that is neither a parameter within it nor the browser's own is one of the
// scope, $$, that Alpine gives.
import { digest } from "./src/digest.js";
import { parse } from "acorn";
import { readdirSync, readFileSync } from "node:fs";

// What the browser itself knows and templates use; any other name is of the scope.
const own = new Set([
  "undefined",
  "NaN",
  "Infinity",
  "Math",
  "Number",
  "String",
  "Boolean",
  "Object",
  "Array",
  "JSON",
  "Set",
  "Map",
  "Date",
  "document",
  "window",
  "location",
  "localStorage",
  "sessionStorage",
  "structuredClone",
  "confirm",
  "console",
]);
// Attributes of Alpine whose text is no expression.
const plain = /^x-(ref|cloak|ignore|teleport|transition.*)$/;

// attributes are those of all tags of a template, as a browser reads them.
export function attributes(html) {
  const list = [];
  let i = 0;
  const space = () => {
    while (/\s/.test(html[i] || "")) i++;
  };
  while ((i = html.indexOf("<", i)) >= 0) {
    if (html.startsWith("<!--", i)) {
      i = html.indexOf("-->", i) + 3;
      continue;
    }
    if (!/[a-zA-Z]/.test(html[++i] || "")) continue;
    while (/[^\s/>]/.test(html[i] || "")) i++;
    for (;;) {
      space();
      if (html[i] === "/") {
        i++;
        continue;
      }
      if (html.startsWith("{{", i)) {
        i = html.indexOf("}}", i) + 2;
        continue;
      } // of the template's own language
      if (i >= html.length || html[i] === ">") break;
      const from = i;
      while (i < html.length && /[^\s=>]/.test(html[i]) && !html.startsWith("{{", i)) i++;
      const name = html.slice(from, i);
      if (html[i] !== "=") continue;
      const quote = html[++i];
      if (quote !== '"' && quote !== "'") {
        while (/[^\s>]/.test(html[i] || "")) i++;
        continue;
      }
      const end = html.indexOf(quote, i + 1);
      if (end < 0) throw new Error(`an attribute that does not end: ${html.slice(from, from + 60)}`);
      list.push([
        name,
        html
          .slice(i + 1, end)
          .replaceAll("&quot;", '"')
          .replaceAll("&#39;", "'")
          .replaceAll("&lt;", "<")
          .replaceAll("&gt;", ">")
          .replaceAll("&amp;", "&"),
      ]);
      i = end + 1;
    }
  }
  return list;
}

// expressions are all that Alpine evaluates of a template.
export function expressions(html) {
  const all = ["index", "{}"]; // what x-for goes by where no key is given, and x-data where nothing is
  for (const [name, text] of attributes(html)) {
    if (!/^(x-|@|:)/.test(name) || plain.test(name) || !text.trim()) continue;
    if (text.includes("{{")) throw new Error(`${name}="${text}": an expression is the same on every page`);
    if (name === "x-for") all.push(text.replace(/^[\s\S]*?\s+(?:in|of)\s+/, "").trim());
    else all.push(text);
    if (name.startsWith("x-model")) all.push(`${text} = __placeholder`);
  }
  return all;
}

// compiled is an expression, or statements, as a function of the scope.
export function compiled(text) {
  let tree,
    src = `(${text}\n)`,
    statements = false;
  try {
    tree = parse(src, { ecmaVersion: 2024 });
  } catch {
    statements = true;
    src = text;
    tree = parse(src, { ecmaVersion: 2024, allowAwaitOutsideFunction: true, allowReturnOutsideFunction: true });
  }
  const edits = [];
  visit(tree, new Set(), edits);
  let out = src;
  for (const [at, put] of edits.sort((a, b) => b[0] - a[0])) out = out.slice(0, at) + put + out.slice(at);
  return statements ? `$$ => { ${out} }` : `$$ => ${out}`;
}

const names = (p, into) => {
  switch (p?.type) {
    case "Identifier":
      into.add(p.name);
      break;
    case "AssignmentPattern":
      names(p.left, into);
      break;
    case "RestElement":
      names(p.argument, into);
      break;
    case "ArrayPattern":
      for (const e of p.elements) names(e, into);
      break;
    case "ObjectPattern":
      for (const e of p.properties) names(e.value || e.argument, into);
      break;
  }
};

function visit(n, known, edits) {
  if (Array.isArray(n)) {
    for (const c of n) visit(c, known, edits);
    return;
  }
  if (!n || typeof n.type !== "string") return;
  switch (n.type) {
    case "Identifier":
      if (!known.has(n.name) && !own.has(n.name)) edits.push([n.start, "$$."]);
      return;
    case "MemberExpression":
      visit(n.object, known, edits);
      if (n.computed) visit(n.property, known, edits);
      return;
    case "Property":
      if (n.computed) visit(n.key, known, edits);
      if (n.shorthand && n.value.type === "Identifier") {
        if (!known.has(n.key.name) && !own.has(n.key.name)) edits.push([n.key.end, `: $$.${n.key.name}`]);
        return;
      }
      visit(n.value, known, edits);
      return;
    case "ArrowFunctionExpression":
    case "FunctionExpression": {
      const inner = new Set(known);
      for (const p of n.params) names(p, inner);
      for (const p of n.params) pattern(p, inner, edits);
      visit(n.body, inner, edits);
      return;
    }
    case "Program":
    case "BlockStatement": {
      const inner = new Set(known);
      for (const c of n.body)
        if (c.type === "VariableDeclaration") for (const d of c.declarations) names(d.id, inner);
      for (const c of n.body) visit(c, inner, edits);
      return;
    }
    case "VariableDeclarator":
      pattern(n.id, known, edits);
      visit(n.init, known, edits);
      return;
    case "LabeledStatement":
      throw new Error("a label is no statement of a template");
  }
  for (const key in n) if (key !== "type" && n[key] && typeof n[key] === "object") visit(n[key], known, edits);
}

// pattern visits what a parameter begins with.
function pattern(p, known, edits) {
  switch (p?.type) {
    case "AssignmentPattern":
      pattern(p.left, known, edits);
      visit(p.right, known, edits);
      break;
    case "RestElement":
      pattern(p.argument, known, edits);
      break;
    case "ArrayPattern":
      for (const e of p.elements) pattern(e, known, edits);
      break;
    case "ObjectPattern":
      for (const e of p.properties) {
        if (e.computed) visit(e.key, known, edits);
        pattern(e.value || e.argument, known, edits);
      }
      break;
  }
}

// from is a module of all expressions of a folder of templates, by their digests.
export function from(folder) {
  const all = new Set();
  for (const f of readdirSync(folder).sort()) {
    try {
      for (const e of expressions(readFileSync(folder + f, "utf8"))) all.add(e);
    } catch (e) {
      throw new Error(`${f}: ${e.message}`);
    }
  }
  let out = "export default {\n";
  const named = new Map();
  for (const e of [...all].sort()) {
    const name = digest(e);
    if (named.has(name))
      throw new Error(`two expressions have one digest: change one of ${e} and ${named.get(name)}`);
    named.set(name, e);
    try {
      out += `"${name}": ${compiled(e)},\n`;
    } catch (err) {
      throw new Error(`${e}: ${err.message}`);
    }
  }
  return out + "};\n";
}

// The expressions in the attributes of the templates, made into functions when the page is
// built: the page makes no text into code, and its policy forbids it. Each is known by the
// digest of its text. A name that is not the browser's own is one of the scope, $$, that Alpine gives.
import { digest } from "./src/digest.js";
import { parse } from "acorn";
import { readdirSync, readFileSync } from "node:fs";

// What the browser itself knows and templates use; any other name is of the scope.
const own = new Set(["Math", "Number", "String", "Boolean", "Object", "Set", "window"]);
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

// Templates say what is shown and what is called, and scripts work it out: an expression is one
// step. A value is a name, what lies in it, a call, a list or a text with values in it; a step is a
// value, or one operation on values, whose condition may be one comparison.
const isValue = (n) => {
  switch (n.type) {
    case "Identifier":
    case "Literal":
      return true;
    case "MemberExpression":
      return isValue(n.object) && (!n.computed || isStep(n.property));
    case "ChainExpression":
      return isValue(n.expression);
    case "UnaryExpression":
    case "SpreadElement":
      return isValue(n.argument);
    case "TemplateLiteral":
      return n.expressions.every(isStep);
    case "CallExpression":
      return isValue(n.callee) && n.arguments.every(isStep);
    case "ArrayExpression":
      return n.elements.every(isValue);
    case "ObjectExpression":
      return n.properties.every((p) => (p.type === "SpreadElement" ? isValue(p.argument) : isStep(p.value)));
  }
  return false;
};
const isCompared = (n) =>
  isValue(n) ||
  (n.type === "BinaryExpression" && /^[=!<>]/.test(n.operator) && isValue(n.left) && isValue(n.right)) ||
  (n.type === "UnaryExpression" && isCompared(n.argument));
const isStep = (n) => {
  switch (n.type) {
    case "BinaryExpression":
      return isValue(n.left) && isValue(n.right);
    case "LogicalExpression":
      return isCompared(n.left) && isCompared(n.right);
    case "ConditionalExpression":
      return isCompared(n.test) && isValue(n.consequent) && isValue(n.alternate);
    case "AssignmentExpression":
      return isValue(n.left) && isStep(n.right);
    case "UnaryExpression":
      return isStep(n.argument);
  }
  return isValue(n);
};

// compiled is an expression as a function of the scope. One that is more than a step is refused.
export function compiled(text) {
  const src = `(${text}\n)`,
    tree = parse(src, { ecmaVersion: 2024 });
  if (!isStep(tree.body[0].expression))
    throw new Error("an expression of a template is one step: what is worked out is a method of its panel");
  const edits = [];
  visit(tree, edits);
  let out = src;
  for (const [at, put] of edits.sort((a, b) => b[0] - a[0])) out = out.slice(0, at) + put + out.slice(at);
  return `$$ => ${out}`;
}

// visit finds the names that are of the scope.
function visit(n, edits) {
  switch (n.type) {
    case "Identifier":
      if (!own.has(n.name)) edits.push([n.start, "$$."]);
      return;
    case "MemberExpression":
      visit(n.object, edits);
      if (n.computed) visit(n.property, edits);
      return;
    case "Property":
      if (n.computed) visit(n.key, edits);
      if (n.shorthand) edits.push([n.key.end, `: $$.${n.key.name}`]);
      else visit(n.value, edits);
      return;
  }
  for (const part of Object.values(n).flat()) if (part && typeof part.type === "string") visit(part, edits);
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

// Expressions of the page's attributes: they were compiled when the page was built, so
// nothing is made into code here, which the page's policy forbids.
import compiled from "expressions";
import { digest } from "./digest.js";

// evaluator is what Alpine evaluates expressions by: their text, or functions of its own.
export function evaluator(Alpine) {
  return (el, expression) => {
    const run =
      typeof expression === "function"
        ? (scope, params) => expression.apply(scope, params)
        : compiled[digest(expression)];
    const stack = [Alpine.injectMagics({}, el), ...Alpine.closestDataStack(el)];
    return (receive = (_value) => {}, { scope = {}, params = [] } = {}) => {
      try {
        if (!run) throw new Error("it was not compiled when the page was built");
        const all = Alpine.mergeProxies([scope, ...stack]);
        let value = run(all, params);
        if (typeof value === "function") value = value.apply(all, params);
        if (value instanceof Promise) value.then(receive).catch((e) => tell(e, el, expression));
        else receive(value);
      } catch (e) {
        tell(e, el, expression);
      }
    };
  };
}

// tell makes a fault of an expression one of the page.
function tell(e, el, expression) {
  console.warn(`in ${expression}: ${e?.message}`, el);
  setTimeout(() => {
    throw e;
  }, 0);
}

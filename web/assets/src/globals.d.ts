// What the type checker cannot see by itself: the module that the build makes of the
// templates' expressions, and what pages give to each other by the window.
declare module "expressions" {
  const compiled: Record<string, (scope: any, params: any[]) => any>;
  export default compiled;
}
declare const Alpine: any;
interface Window {
  Alpine: any;
  onconnect: (e: MessageEvent) => void;
}

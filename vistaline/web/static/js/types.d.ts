// What the browser's own types do not know: this page's events, and what comes by other scripts.
type Told = CustomEvent<any>;
interface PageEvents {
  "htmx:after:request": Told;
  "htmx:after:swap": Told;
  "htmx:config:request": Told;
  "htmx:error": Told;
  "htmx:finally:request": Told;
  chosen: Told;
  curvechange: Told;
  easechange: Told;
  folded: Told;
  opentab: Told;
  picturechange: Told;
  masksknown: Told;
  sheetchange: Told;
  shotchange: Told;
  filmchange: Told;
  taskchange: Told;
}
interface Window {
  htmx: { registerExtension(name: string, methods: Record<string, (element: Element, detail: any) => void>): void };
}
interface DocumentEventMap extends PageEvents {}
interface HTMLElementEventMap extends PageEvents {}

// What an id or a selector finds is known by the templates, not by the compiler.
interface ByTemplate {
  checked: any;
  content: any;
  elements: any;
  open: any;
  value: any;
  close(): void;
  select(): void;
  showModal(): void;
}
interface Element extends ByTemplate {}
interface HTMLElement extends ByTemplate {}

// Events here come from elements.
interface EventTarget {
  checked: any;
  closest(selectors: string): any;
  dataset: any;
  elements: any;
  hasAttribute(name: string): boolean;
  matches(selectors: string): boolean;
  type: any;
  value: any;
}

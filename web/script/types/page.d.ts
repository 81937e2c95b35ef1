// What a selector finds is what the templates have there, which no type knows:
// the tests drive the real pages. Everything else is checked.
interface ParentNode {
  querySelector(selectors: string): any;
  querySelectorAll(selectors: string): NodeListOf<any>;
}
interface Element {
  closest(selectors: string): any;
}

// What the page has beside what browsers have.
interface Window {
  Go: new () => { importObject: WebAssembly.Imports; run(instance: WebAssembly.Instance): Promise<void> };
  readymarginCore: Record<string, (...args: any[]) => any>;
  Alpine: {
    data(name: string, make: (...args: any[]) => Record<string, any> & ThisType<any>): void;
    store(name: string, value?: any): any;
    reactive<T>(value: T): T;
    nextTick(): Promise<void>;
  };
  htmx: any;
}

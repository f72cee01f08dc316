// What Oatmeal uses of Alpine's build for a strict Content-Security-Policy, which comes without types.
/** Members that Alpine adds to every component. */
export interface Magics {
  $refs: { [name: string]: any };
  $root: HTMLElement;
  $el: HTMLElement;
  $nextTick(then?: () => void): Promise<void>;
}
export interface Alpine {
  data<T extends object>(name: string, make: () => T & ThisType<T & Magics>): void;
  store(name: string, value?: object): any;
  directive(name: string, act: (element: HTMLElement, directive: { expression: string }, tools: {
    effect: (run: () => void) => void;
    evaluateLater: (expression: string) => (take: (value: any) => void) => void;
  }) => void): void;
  initTree(element: HTMLElement): void;
  mutateDom(change: () => void): void;
  nextTick(then?: () => void): Promise<void>;
  reactive<T extends object>(value: T): T;
  start(): void;
}

// For the check of the scripts alone: which elements a page has, its template knows, not the compiler.
interface ParentNode {
  querySelector(selectors: string): any;
  querySelectorAll(selectors: string): NodeListOf<any>;
}
interface Document {
  getElementById(id: string): any;
}
interface Element {
  closest(selectors: string): any;
}
interface EventTarget {
  closest(selectors: string): any;
  matches(selectors: string): boolean;
  dataset: DOMStringMap;
  value: any;
}
interface Event {
  detail: any;
}
interface Window {
  Alpine: any;
  htmx: any;
}

// Newer than the compiler.
interface Navigator {
  wakeLock?: any;
}
interface Array<T> {
  findLast(found: (item: T, index: number) => boolean): T | undefined;
  findLastIndex(found: (item: T, index: number) => boolean): number;
}
interface AudioContext {
  readonly playbackStats?: { underrunEvents: number };
}
interface Window {
  __deskIdle?: () => Promise<void>;
}

// An audio worklet's own world.
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}
declare const currentFrame: number;
declare function registerProcessor(name: string, processor: new () => AudioWorkletProcessor): void;

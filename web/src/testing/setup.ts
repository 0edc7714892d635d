import '@testing-library/jest-dom/vitest';
import { cleanup, configure } from '@testing-library/react';
import { afterEach, beforeEach, vi } from 'vitest';
import { forgetAnswers } from './fake-client.js';
import { FakeEventSource } from './fake-event-source.js';

// Only a busy machine needs this long.
configure({ asyncUtilTimeout: 20_000 });

/** Browser features missing in the test DOM. */
class FixedSize implements ResizeObserver {
  readonly #tell: ResizeObserverCallback;
  constructor(tell: ResizeObserverCallback) {
    this.#tell = tell;
  }
  observe(target: Element) {
    const { width, height } = target.getBoundingClientRect();
    const size = [{ inlineSize: width, blockSize: height }];
    const entry = {
      target,
      contentRect: target.getBoundingClientRect(),
      borderBoxSize: size,
      contentBoxSize: size,
    };
    this.#tell([entry as unknown as ResizeObserverEntry], this);
  }
  unobserve() {}
  disconnect() {}
}

/** Every element has this size, so that layouts that depend on it render a full page. */
const SIZE = { x: 0, y: 0, top: 0, left: 0, right: 1000, bottom: 700, width: 1000, height: 700 };

vi.stubGlobal('ResizeObserver', FixedSize);
vi.stubGlobal('EventSource', FakeEventSource);
vi.stubGlobal('matchMedia', () => ({ matches: false, addEventListener() {}, removeEventListener() {} }));
Element.prototype.scrollIntoView = () => {};
// The test DOM lays nothing out, but a list that renders only its visible rows depends on where it was scrolled to.
Element.prototype.scrollTo = function scrollTo(this: Element, to?: ScrollToOptions | number, top?: number) {
  this.scrollTop = (typeof to === 'object' ? to.top : top) ?? this.scrollTop;
  this.dispatchEvent(new Event('scroll'));
};
Element.prototype.hasPointerCapture = () => false;
Element.prototype.getBoundingClientRect = () => ({ ...SIZE, toJSON: () => SIZE });
for (const [name, value] of [
  ['offsetWidth', SIZE.width],
  ['offsetHeight', SIZE.height],
  ['clientWidth', SIZE.width],
  ['clientHeight', SIZE.height],
  ['scrollHeight', 1_000_000],
] as const)
  Object.defineProperty(HTMLElement.prototype, name, { configurable: true, get: () => value });

beforeEach(() => {
  forgetAnswers();
  FakeEventSource.forget();
});
afterEach(() => {
  cleanup();
  localStorage.clear();
});

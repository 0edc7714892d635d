/** A candidate of a `srcset`, by its place in the text. */
export interface SrcsetCandidate {
  from: number;
  to: number;
  /** `2x`, `640w`; empty without one. */
  descriptor: string;
}

const SPACE = /[\t\n\f\r ]/;

/**
 * Finds the candidates of a `srcset` or `imagesrcset`. Those that a browser would drop for their descriptors are found
 * too: they are addresses. Source: WHATWG HTML, "parse a srcset attribute".
 */
export function srcsetCandidates(text: string): SrcsetCandidate[] {
  const found: SrcsetCandidate[] = [];
  let at = 0;
  while (at < text.length) {
    while (at < text.length && (SPACE.test(text.charAt(at)) || text[at] === ',')) at += 1;
    if (at >= text.length) break;
    const from = at;
    while (at < text.length && !SPACE.test(text.charAt(at))) at += 1;
    let to = at;
    while (to > from && text[to - 1] === ',') to -= 1;
    const descriptor = { from: at, to: at };
    if (to === at) {
      at = endOfDescriptors(text, at);
      descriptor.to = at;
    }
    found.push({ from, to, descriptor: text.slice(descriptor.from, descriptor.to).trim() });
  }
  return found;
}

/** A comma ends the descriptors, but not within parentheses. */
function endOfDescriptors(text: string, from: number): number {
  let isInParentheses = false;
  for (let at = from; at < text.length; at += 1) {
    const sign = text[at];
    if (sign === '(') isInParentheses = true;
    else if (sign === ')') isInParentheses = false;
    else if (sign === ',' && !isInParentheses) return at;
  }
  return text.length;
}

import { expect, test } from 'vitest';
import { showEdits } from './show-edits.js';

const edit = (text: string, before: string, after: string) => {
  const from = text.indexOf(before);
  return { from, to: from + before.length, before, after };
};

test('changes are shown on their lines', () => {
  const text = 'one\r\n<img src="a.jpg" alt=x>\r\n\r\n<img src="b.jpg"><img src="c.jpg">';
  const edits = ['a.jpg', 'b.jpg', 'c.jpg'].map((name) => edit(text, name, `new-${name}`));
  expect(showEdits(text, edits, 10)).toEqual([
    { line: 2, lead: '<img src="', before: 'a.jpg', after: 'new-a.jpg', trail: '" alt=x>' },
    { line: 4, lead: '<img src="', before: 'b.jpg', after: 'new-b.jpg', trail: '"><img src="c.jpg">' },
    { line: 4, lead: '<img src="b.jpg"><img src="', before: 'c.jpg', after: 'new-c.jpg', trail: '">' },
  ]);
  expect(showEdits(text, edits, 1)).toHaveLength(1);
});

test('of long lines, what is around them', () => {
  const text = `${'x'.repeat(61)}a.jpg${'y'.repeat(61)}`;
  expect(showEdits(text, [edit(text, 'a.jpg', 'b.jpg')], 1)).toEqual([
    { line: 1, lead: `…${'x'.repeat(60)}`, before: 'a.jpg', after: 'b.jpg', trail: `${'y'.repeat(60)}…` },
  ]);
  const short = text.slice(1, -1);
  expect(showEdits(short, [edit(short, 'a.jpg', 'b.jpg')], 1)).toMatchObject([
    { lead: 'x'.repeat(60), trail: 'y'.repeat(60) },
  ]);
});

test('at the very beginning and end of a document', () => {
  const whole = [{ from: 0, to: 5, before: 'a.jpg', after: 'b.jpg' }];
  expect(showEdits('a.jpg', whole, 5)).toEqual([
    { line: 1, lead: '', before: 'a.jpg', after: 'b.jpg', trail: '' },
  ]);
  expect(showEdits('\n\na.jpg\n', [{ ...whole[0], from: 2, to: 7 } as (typeof whole)[0]], 5)[0]?.line).toBe(
    3,
  );
});

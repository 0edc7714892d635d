import type { Asset } from '@uniferum/core/library';
import { expect, test } from 'vitest';
import { html } from './html.js';
import { titleOf } from './library.js';
import { layout, lightPage, writtenPage } from './pages.js';

const asset = {
  url: 'http://u.example/media/a.jpg',
  width: 1200,
  height: 800,
  alt: '"><script>alert(1)</script>',
  caption: 'Tom & Jerry',
  credit: null,
  title: null,
  placeholder: null,
  renditions: [
    {
      recipe: 'wide',
      variant: null,
      state: 'fresh',
      url: 'http://u.example/media/a~wide.jpg',
      mime: 'image/jpeg',
      width: 900,
      height: 600,
      bytes: 1,
      error: null,
    },
    {
      recipe: 'column',
      variant: null,
      state: 'fresh',
      url: 'http://u.example/media/a~column.jpg',
      mime: 'image/jpeg',
      width: 450,
      height: 300,
      bytes: 1,
      error: null,
    },
  ],
} as unknown as Asset;

test('what comes from the library is text and never markup', () => {
  const page = layout(
    'x',
    [],
    lightPage({ slug: 'x', name: '<b>' }, { pictures: [asset], plans: [], others: [] }),
  );
  expect(page).not.toContain('<script>alert');
  expect(page).toContain('Tom &#38; Jerry');
  expect(html`${'<i>'}`.text).toBe('&#60;i&#62;');
});

test('a picture offers its renditions with their widths', () => {
  const page = lightPage({ slug: 'x', name: 'X' }, { pictures: [asset], plans: [], others: [] }).text;
  expect(page).toContain(
    'srcset="http://u.example/media/a~column.jpg 450w, http://u.example/media/a~wide.jpg 900w"',
  );
  expect(page).toContain('src="http://u.example/media/a~wide.jpg"');
});

test('a slug becomes a name', () => {
  expect([titleOf('gannet-head'), titleOf('stack-of-orran')]).toEqual(['Gannet Head', 'Stack of Orran']);
});

test('a page that was written is shown as it is answered, with its downloads', () => {
  const page = {
    title: 'A & B',
    html: '<p>text</p>',
    slots: { pictures: [asset], downloads: [{ ...asset, name: 'plan.svg', bytes: 2000 }] },
  };
  const text = writtenPage(page as unknown as Parameters<typeof writtenPage>[0]).text;
  expect(text).toContain('<h1>A &#38; B</h1>');
  expect(text).toContain('<p>text</p>');
  expect(text).toContain('plan.svg</a>, 2 kB');
  expect(text.match(/<img/g)).toHaveLength(1);
});

import { expect, test } from 'vitest';
import { describeFilm, FILMS, filmPage, filmStill } from './films.js';

test('each film’s page names its description, and the description is complete', () => {
  for (const film of FILMS) {
    expect(filmPage(film, 'http://x')).toContain('type="application/json+oembed"');
    // oEmbed 1.0, section 2.3.4.2: a video has html, width and height.
    expect(describeFilm(film, 'http://x')).toMatchObject({
      version: '1.0',
      type: 'video',
      width: 640,
      height: 360,
    });
    expect(filmStill(film)).toMatch(/^<svg [^>]*width="640"/);
  }
});

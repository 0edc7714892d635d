import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { chainSize } from './chain.js';
import { iiifInfo, iiifSteps, readIiifRequest } from './iiif.js';

const picture = { width: 300, height: 200 };
const read = (path: string, of = picture) => {
  const [region = '', size = '', rotation = '', file = ''] = path.split('/');
  const [quality = '', format = ''] = file.split('.');
  return readIiifRequest({ region, size, rotation, quality, format }, of);
};
const canonical = (path: string, of = picture) => {
  const result = read(path, of);
  return result.ok ? result.image.canonical : result.part;
};

// Source: IIIF Image API 3.0, section 4.1, the table of regions and its examples on a picture of 300 × 200.
describe('regions', () => {
  test.each([
    ['full/max/0/default.jpg', 'full/max/0/default.jpg'],
    ['square/max/0/default.jpg', '50,0,200,200/max/0/default.jpg'],
    ['125,15,120,140/max/0/default.jpg', '125,15,120,140/max/0/default.jpg'],
    ['pct:41.6,7.5,40,70/max/0/default.jpg', '125,15,120,140/max/0/default.jpg'],
    ['125,15,200,200/max/0/default.jpg', '125,15,175,185/max/0/default.jpg'],
    ['pct:41.6,7.5,66.6,100/max/0/default.jpg', '125,15,175,185/max/0/default.jpg'],
    ['pct:1.25,0,50,12.55/max/0/default.jpg', '4,0,150,25/max/0/default.jpg'],
    ['299,199,9,9/max/0/default.jpg', '299,199,1,1/max/0/default.jpg'],
  ])('%s', (path, expected) => {
    expect(canonical(path)).toBe(expected);
  });

  test('the square of a portrait is in its middle, a pixel higher where it must be', () => {
    const portrait = { width: 200, height: 301 };
    expect(canonical('square/max/0/default.jpg', portrait)).toBe('0,50,200,200/max/0/default.jpg');
  });

  test.each([
    '300,0,10,10',
    '0,200,10,10',
    '0,0,0,10',
    '0,0,10,0',
    'pct:0,0,0,10',
    'pct:0,100,10,10',
    'pct:x1,0,10,10',
    'pct:1.,0,10,10',
    'pct:1.5x,0,10,10',
    '0,0,10',
    'pct:100,0,10,10',
    'a,b,c,d',
    '-1,0,10,10',
    '0.5,0,10,10',
    'circle',
  ])('%s is refused', (region) => {
    expect(canonical(`${region}/max/0/default.jpg`)).toBe('region');
  });
});

// Source: IIIF Image API 3.0, section 4.1: a region whose width or height is zero is refused, whatever else it states.
test('what is wrong with a region is said', () => {
  const why = (region: string) => {
    const result = read(`${region}/max/0/default.jpg`);
    return result.ok ? null : result.reason;
  };
  for (const region of ['300,200,0,9', '300,200,9,0', 'pct:99,99,0,1'])
    expect(why(region)).toContain('above 0');
  for (const region of ['300,0,9,9', '0,200,9,9']) expect(why(region)).toContain('outside the picture');
});

test('the largest size has the longest side that is served, or that of the region', () => {
  const largest = (size: string, of: { width: number; height: number }) => {
    const result = read(`full/${size}/0/default.jpg`, of);
    return result.ok && [result.image.size.width, result.image.size.height];
  };
  expect(largest('max', { width: 30_000, height: 10_000 })).toEqual([8192, 2731]);
  expect(largest('max', { width: 10_000, height: 30_000 })).toEqual([2731, 8192]);
  expect(largest('max', { width: 8192, height: 10 })).toEqual([8192, 10]);
  expect(largest('max', picture)).toEqual([300, 200]);
  expect(largest('^max', picture)).toEqual([2048, 1365]);
  expect(largest('^max', { width: 200, height: 300 })).toEqual([1365, 2048]);
});

// Source: IIIF Image API 3.0, section 4.2, the table of sizes and its examples.
describe('sizes', () => {
  test.each([
    ['max', 'full/max/0/default.jpg'],
    ['150,', 'full/150,100/0/default.jpg'],
    ['^360,', 'full/^360,240/0/default.jpg'],
    [',150', 'full/225,150/0/default.jpg'],
    [',^240', null],
    ['^,240', 'full/^360,240/0/default.jpg'],
    ['pct:50', 'full/150,100/0/default.jpg'],
    ['^pct:120', 'full/^360,240/0/default.jpg'],
    ['225,100', 'full/225,100/0/default.jpg'],
    ['^360,360', 'full/^360,360/0/default.jpg'],
    ['!225,100', 'full/150,100/0/default.jpg'],
    ['^!360,360', 'full/^360,240/0/default.jpg'],
    ['!1000,1000', 'full/max/0/default.jpg'],
    ['300,200', 'full/max/0/default.jpg'],
  ])('%s', (size, expected) => {
    expect(canonical(`full/${size}/0/default.jpg`)).toBe(expected ?? 'size');
  });

  test.each(['360,', ',240', 'pct:120', '360,360', '0,', '!0,10', ',', 'pct:0', 'large', '1.5,'])(
    '%s is refused without ^, or at all',
    (size) => {
      expect(canonical(`full/${size}/0/default.jpg`)).toBe('size');
    },
  );
});

// Source: sections 4.3, 4.4 and 4.5.
describe('rotation, quality and format', () => {
  test.each([
    ['90', '90'],
    ['22.50', '22.5'],
    ['22.55', '22.55'],
    ['.55', '0.55'],
    ['!180', '!180'],
    ['0', '0'],
    ['360', '360'],
  ])('rotation %s', (rotation, expected) => {
    expect(canonical(`full/max/${rotation}/default.png`)).toBe(`full/max/${expected}/default.png`);
  });

  test.each(['-90', '361', 'left', '!!90', '1e2', '.x', '.', '1.', '90x', 'x90'])(
    'rotation %s is refused',
    (rotation) => {
      expect(canonical(`full/max/${rotation}/default.png`)).toBe('rotation');
    },
  );

  test('colour is what the default gives; grey and bitonal are others', () => {
    expect(canonical('full/max/0/color.jpg')).toBe('full/max/0/default.jpg');
    expect(canonical('full/max/0/gray.jpg')).toBe('full/max/0/gray.jpg');
    expect(canonical('full/max/0/sepia.jpg')).toBe('quality');
    expect(canonical('full/max/0/default.jp2')).toBe('format');
  });
});

test('the canonical form means the same as what it was made of, and its chain has its size', () => {
  const size = fc.oneof(
    fc.constant('max'),
    fc.integer({ min: 1, max: 900 }).map((width) => `^${width},`),
    fc.integer({ min: 1, max: 900 }).map((height) => `^,${height}`),
    fc
      .tuple(fc.integer({ min: 1, max: 900 }), fc.integer({ min: 1, max: 900 }))
      .map(([w, h]) => `^!${w},${h}`),
  );
  const region = fc.oneof(
    fc.constantFrom('full', 'square'),
    fc
      .tuple(fc.nat(299), fc.nat(199), fc.integer({ min: 1, max: 400 }), fc.integer({ min: 1, max: 400 }))
      .map((parts) => parts.join(',')),
  );
  fc.assert(
    fc.property(region, size, fc.constantFrom('0', '90', '!270', '45'), (r, s, rotation) => {
      const first = read(`${r}/${s}/${rotation}/default.png`);
      if (!first.ok) {
        // A narrow region that is made very wide would become too high.
        expect(first.reason).toMatch(/is 2048/);
        return;
      }
      expect(Math.max(first.image.size.width, first.image.size.height)).toBeLessThanOrEqual(2048);
      const again = read(first.image.canonical);
      expect(again).toEqual({ ok: true, image: first.image });
      const steps = iiifSteps({ ...first.image, degrees: 0 });
      expect(chainSize(picture, steps)).toMatchObject({ ok: true, size: first.image.size });
    }),
  );
});

test('the description says what level 2 asks for', () => {
  const info = iiifInfo('https://a.example/iiif/3/7', { width: 4000, height: 3000 }, { mayEnlarge: true });
  expect(info).toMatchObject({
    '@context': 'http://iiif.io/api/image/3/context.json',
    id: 'https://a.example/iiif/3/7',
    type: 'ImageService3',
    protocol: 'http://iiif.io/api/image',
    profile: 'level2',
    width: 4000,
    height: 3000,
  });
  expect(info.extraQualities).toEqual(['color', 'gray', 'bitonal']);
  expect(info.extraFormats).toEqual(['webp', 'gif', 'avif']);
  expect(info.preferredFormats).toEqual(['webp', 'jpg']);
  expect(info.extraFeatures).toContain('sizeUpscaling');
  const small = iiifInfo('https://a.example/iiif/3/7', { width: 4000, height: 3000 }, { mayEnlarge: false });
  expect(small.extraFeatures).toEqual([
    'canonicalLinkHeader',
    'profileLinkHeader',
    'mirroring',
    'rotationArbitrary',
  ]);
  for (const { width, height } of info.sizes as { width: number; height: number }[])
    expect(canonical(`full/${width},${height}/0/default.jpg`, { width: 4000, height: 3000 })).toMatch(
      /^full/,
    );
});

// Source: IIIF Image API 3.0, section 5.3 and 5.4.
test.each([
  [
    { width: 4000, height: 3000 },
    [
      [500, 375],
      [1000, 750],
      [2000, 1500],
      [4000, 3000],
    ],
    [1, 2, 4, 8],
  ],
  [
    { width: 3000, height: 4097 },
    [
      [188, 257],
      [375, 513],
      [750, 1025],
      [1500, 2049],
      [3000, 4097],
    ],
    [1, 2, 4, 8, 16],
  ],
  [
    { width: 512, height: 100 },
    [
      [256, 50],
      [512, 100],
    ],
    [1, 2],
  ],
  [{ width: 511, height: 511 }, [[511, 511]], [1]],
  [{ width: 9, height: 9 }, [[9, 9]], [1]],
  [
    { width: 8192, height: 10 },
    [
      [512, 1],
      [1024, 2],
      [2048, 3],
      [4096, 5],
      [8192, 10],
    ],
    [1, 2, 4, 8, 16],
  ],
  [
    { width: 10, height: 16_385 },
    [
      [1, 1025],
      [2, 2049],
      [3, 4097],
    ],
    [1, 2, 4, 8, 16],
  ],
])('of %j it proposes sizes that are served, and tiles', (size, sizes, scaleFactors) => {
  const info = iiifInfo('https://a.example/iiif/3/7', size, { mayEnlarge: false });
  expect(info.sizes).toEqual(sizes.map(([width, height]) => ({ width, height })));
  expect(info.tiles).toEqual([{ width: 512, scaleFactors }]);
});

test('a request is a chain of steps in the order of the standard', () => {
  const opsOf = (path: string) => {
    const result = read(path);
    return result.ok ? iiifSteps(result.image).map(({ op }) => op) : result.part;
  };
  expect(opsOf('full/max/0/default.jpg')).toEqual(['crop', 'fit']);
  expect(opsOf('full/max/360/color.jpg')).toEqual(['crop', 'fit']);
  expect(opsOf('full/max/!0/default.jpg')).toEqual(['crop', 'fit', 'flip']);
  expect(opsOf('full/max/90/gray.jpg')).toEqual(['crop', 'fit', 'rotate', 'greyscale']);
  expect(opsOf('full/max/!1/bitonal.jpg')).toEqual([
    'crop',
    'fit',
    'flip',
    'rotate',
    'greyscale',
    'contrast',
  ]);
});

test.each([
  ['!100,50x', 'size'],
  ['x!100,50', 'size'],
  ['xpct:50', 'size'],
  ['pct:50x', 'size'],
  ['pct:5.', 'size'],
  ['!100,', 'size'],
  ['!,100', 'size'],
  ['pct:33.33', 'full/100,67/0/default.jpg'],
])('the size %s is %s', (size, expected) => {
  expect(canonical(`full/${size}/0/default.jpg`)).toBe(expected);
});

test('a size that rounds to nothing in either direction is empty', () => {
  const why = (size: string, of: { width: number; height: number }) => {
    const result = read(`full/${size}/0/default.jpg`, of);
    return result.ok ? null : result.reason;
  };
  expect(why('pct:1', { width: 1000, height: 10 })).toContain('empty');
  expect(why('pct:1', { width: 10, height: 1000 })).toContain('empty');
  expect(why('pct:1', { width: 100, height: 100 })).toBeNull();
  expect(why('301,200', picture)).toContain('larger than the region');
  expect(why('300,201', picture)).toContain('larger than the region');
});

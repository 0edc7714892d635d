import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { parseCaptureTime, shiftTime, writeLocalTime, writeTime, writeWithOffset } from './capture-time.js';

/** Source: RFC 3339, section 5.8, and for a time without an offset ISO 8601 as Exif 2.32 uses it. */
describe('a written capture time', () => {
  test.each([
    ['1996-12-19T16:39:57-08:00', '1996-12-20T00:39:57.000Z', '-08:00'],
    ['2025-06-01T10:00:00.250+02:00', '2025-06-01T08:00:00.250Z', '+02:00'],
    ['2025-06-01T10:00+05:30', '2025-06-01T04:30:00.000Z', '+05:30'],
    ['1985-04-12T23:20:50.52Z', '1985-04-12T23:20:50.520Z', undefined],
    ['1985-04-12T23:20:50z', '1985-04-12T23:20:50.000Z', undefined],
    ['2025-06-01T10:00:00', '2025-06-01T10:00:00.000Z', null],
    ['2025-06-01', '2025-06-01T00:00:00.000Z', null],
  ])('%s is %s at %s', (text, at, offset) => {
    expect(parseCaptureTime(text)).toEqual({ at, offset });
  });

  test.each(['', 'yesterday', '2025-13-01T10:00:00', '0999-12-31T23:59:59Z', '9999-12-31T23:00:00-02:00'])(
    '"%s" is none',
    (text) => {
      expect(parseCaptureTime(text)).toBeNull();
    },
  );

  const offset = fc.tuple(fc.constantFrom('+', '-'), fc.nat(14), fc.nat(59)).map(([sign, hours, minutes]) => {
    const two = (value: number) => String(value).padStart(2, '0');
    return `${sign}${two(hours)}:${two(minutes)}`;
  });
  const moment = fc.date({ min: new Date('1001-01-01'), max: new Date('9998-01-01'), noInvalidDate: true });

  test('is read as it was written', () => {
    fc.assert(
      fc.property(moment, offset, (date, offset) => {
        const written = { at: date.toISOString(), offset };
        expect(parseCaptureTime(writeWithOffset(written))).toEqual(written);
        const toTheSecond = `${written.at.slice(0, 19)}.000Z`;
        expect(parseCaptureTime(writeLocalTime(written))).toEqual({ at: toTheSecond, offset });
      }),
    );
  });
});

test('the clock of the camera is shown, with its offset where that is known', () => {
  const at = '2025-06-01T08:00:00.250Z';
  expect(writeLocalTime({ at, offset: null })).toBe('2025-06-01T08:00:00');
  expect(writeLocalTime({ at, offset: '+02:00' })).toBe('2025-06-01T10:00:00+02:00');
  expect(writeLocalTime({ at, offset: '-09:30' })).toBe('2025-05-31T22:30:00-09:30');
  expect(writeWithOffset({ at, offset: null })).toBe(at);
  expect(writeWithOffset({ at, offset: '-09:30' })).toBe('2025-05-31T22:30:00.250-09:30');
});

test('a shift keeps the offset, and stays within the years of the database', () => {
  expect(shiftTime('2025-06-01T08:00:00.250Z', 90)).toBe('2025-06-01T09:30:00.250Z');
  expect(shiftTime('2025-06-01T08:00:00.250+02:00', -90)).toBe('2025-06-01T06:30:00.250+02:00');
  expect(shiftTime('9999-12-31T23:59:00.000Z', 1)).toBeNull();
});

/** Source: MariaDB, "DATETIME". */
test('times are written within the years of the database', () => {
  expect(writeTime(Date.parse('1000-01-01T00:00:00Z'))).toBe('1000-01-01T00:00:00.000Z');
  expect(writeTime(Date.parse('1000-01-01T00:00:00Z') - 1)).toBeNull();
  expect(writeTime(Date.parse('9999-12-31T23:59:59.999Z'))).toBe('9999-12-31T23:59:59.999Z');
  expect(writeTime(Date.parse('9999-12-31T23:59:59.999Z') + 1)).toBeNull();
  expect(writeTime(Number.NaN)).toBeNull();
});

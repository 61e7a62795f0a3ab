import type { FrameRate } from '@metronomo/core';

/**
 * Digits, thousands separators and plurals of everything on screen. The interface is in English, and its fields accept a
 * decimal point only, so numbers are written the same way whatever the browser's language: `1,234.5`.
 */
const LANGUAGE = 'en';
const PLURALS = new Intl.PluralRules(LANGUAGE);
const formats = new Map<number, Intl.NumberFormat>();

/** With a fixed number of decimals: `decimal(1234.56, 1)` is `1,234.6`. The sign of a rounded zero is dropped. */
export function decimal(value: number, digits: number): string {
  let format = formats.get(digits);
  if (!format) {
    format = new Intl.NumberFormat(LANGUAGE, {
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
      signDisplay: 'negative',
    });
    formats.set(digits, format);
  }
  return format.format(value);
}

/** Rounded to a whole number: `65,536`. */
export const whole = (value: number): string => decimal(value, 0);

/** A count with its noun: `1 take`, `12 takes`. Pass the plural where it doesn't end in s. */
export function count(n: number, one: string, many = `${one}s`): string {
  return `${whole(n)} ${plural(n, one, many)}`;
}

/** The noun alone, for a count that stands elsewhere in the sentence. */
export function plural(n: number, one: string, many = `${one}s`): string {
  return PLURALS.select(n) === 'one' ? one : many;
}

/** A share of 1: `percent(0.953)` is `95%`. */
export const percent = (share: number, digits = 0): string => `${decimal(100 * share, digits)}%`;

/** `25 fps`, `29.97 fps drop-frame`. */
export const fps = (rate: FrameRate): string => (rate === '29.97df' ? '29.97 fps drop-frame' : `${rate} fps`);

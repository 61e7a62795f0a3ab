/** Dates and times on screen, by the reader's locale. File names use ISO dates instead. */
const format = (options: Intl.DateTimeFormatOptions) => {
  const formatter = new Intl.DateTimeFormat(undefined, options);
  return (at: number | Date): string => formatter.format(at);
};

const HOURS_MINUTES = { hour: '2-digit', minute: '2-digit' } as const;
const TO_THE_SECOND = { ...HOURS_MINUTES, second: '2-digit' } as const;
const DAY = { day: 'numeric', month: 'short' } as const;
const LONG_DATE = { day: 'numeric', month: 'long', year: 'numeric' } as const;

/** Hours and minutes. */
export const timeOfDay = format(HOURS_MINUTES);
/** To the second. */
export const exactTime = format(TO_THE_SECOND);
/** Day and month. */
export const dayOf = format(DAY);
/** Day and month, hours and minutes. */
export const dayAndTime = format({ ...DAY, ...HOURS_MINUTES });
/** Day and month, to the second: names a take. */
export const exactDayAndTime = format({ ...DAY, ...TO_THE_SECOND });
/** Day, short month and year. */
export const dateOf = format({ ...DAY, year: 'numeric' });
/** Day, month and year, spelled out. */
export const longDate = format(LONG_DATE);
/** The same with the weekday. */
export const longDay = format({ ...LONG_DATE, weekday: 'long' });
/** Day, month and year, hours and minutes. */
export const longDateAndTime = format({ ...LONG_DATE, ...HOURS_MINUTES });

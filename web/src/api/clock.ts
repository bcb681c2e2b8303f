// The shop's clock beside this device's, so that what is written without the server carries the right time
// even where the device's clock is wrong.

let ahead = 0;

/** The server says it is now this time. */
export const keepClock = (now: string): void => {
  ahead = Date.parse(now) - Date.now();
};

/** The shop's time. */
export const shopNow = (): string => new Date(Date.now() + ahead).toISOString();

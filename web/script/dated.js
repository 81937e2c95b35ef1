// dated writes a day and its time in a course's time zone.
/** @param {'long' | 'short'} month */
export const dated = (t, zone, month = 'long') =>
  new Date(t).toLocaleString('en-GB', {
    weekday: 'short',
    day: 'numeric',
    month,
    hour: '2-digit',
    minute: '2-digit',
    hour12: false,
    timeZone: zone,
  });

// The organisation's calendars, a year at a time: each is asked for once.
import { showCalendar, type CalendarYear } from './api';

const years = new Map<string, Promise<CalendarYear | undefined>>();

/** A year of a calendar; without an answer there is nothing to mark. */
export function yearOf(calendar: string, year: number): Promise<CalendarYear | undefined> {
	const key = `${calendar} ${year}`;
	let asked = years.get(key);
	if (!asked) {
		asked = showCalendar(calendar, year).catch(() => {
			years.delete(key);
			return undefined;
		});
		years.set(key, asked);
	}
	return asked;
}

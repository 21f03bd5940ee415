// Days on which the clocks of a zone change: there alone the offset of a time
// tells anything.

const formats = new Map<string, Intl.DateTimeFormat>();

/** The offset of a zone at an instant, in minutes. */
function offsetAt(instant: number, zone: string): number {
	let format = formats.get(zone);
	if (!format)
		formats.set(zone, (format = new Intl.DateTimeFormat('en', { timeZone: zone, timeZoneName: 'longOffset' })));
	const text = format.formatToParts(instant).find((p) => p.type === 'timeZoneName')!.value;
	const parts = /([+-])(\d\d):(\d\d)/.exec(text);
	return parts ? (parts[1] === '-' ? -1 : 1) * (Number(parts[2]) * 60 + Number(parts[3])) : 0;
}

const known = new Map<string, number>();

/** By how many minutes the clocks of a zone go forward on a day (YYYY-MM-DD), less than 0 for back. */
export function clockChange(day: string, zone: string): number {
	const key = day + zone;
	let by = known.get(key);
	if (by === undefined) {
		try {
			const noon = Date.parse(day + 'T12:00Z') - offsetAt(Date.parse(day + 'T12:00Z'), zone) * 60_000;
			by = offsetAt(noon + 11.9 * 3_600_000, zone) - offsetAt(noon - 12 * 3_600_000, zone);
		} catch {
			by = 0; // no zone that this browser knows
		}
		if (known.size > 5000) known.clear();
		known.set(key, by);
	}
	return by;
}

/** What is said of such a day. */
export const changeText = (by: number) => (by > 0 ? 'clocks go forward' : by < 0 ? 'clocks go back' : '');

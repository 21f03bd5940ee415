// Dates as a column's format has them: by a pattern of the Unicode CLDR, which the service has
// checked, or by a length of the reader's language.
import { clockChange } from './clock';

/** A day, or a date-time with its fraction and offset, as ISO 8601 has it. */
export const stamp = /^(\d{4}-\d\d-\d\d)(?:[T ](\d\d:\d\d(?::\d\d)?)(\.\d+)?(Z|[+-]\d\d:\d\d)?)?$/;

export const lengths = ['short', 'medium', 'long', 'full'];
type Length = 'short' | 'medium' | 'long' | 'full';

/** Fields, and text between them or between quotes. */
const fields = /'((?:[^']|'')*)'|([A-Za-z])\2*|[^A-Za-z']+/gsu;

const made = new Map<string, Intl.DateTimeFormat>();
function intl(tag: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
	const key = tag + JSON.stringify(options);
	let format = made.get(key);
	if (!format) made.set(key, (format = new Intl.DateTimeFormat(tag, { ...options, timeZone: 'UTC' })));
	return format;
}

/** The year and number of the week that a day is in; source: ISO 8601. */
export function isoWeek(at: Date): [year: number, week: number] {
	const thursday = new Date(at);
	thursday.setUTCDate(at.getUTCDate() + 4 - (at.getUTCDay() || 7));
	const year = thursday.getUTCFullYear();
	return [year, 1 + Math.floor((thursday.valueOf() - Date.UTC(year, 0, 1)) / (7 * 86_400_000))];
}

/** The name of a month or a day of the week as it stands in a date. */
function nameOf(at: Date, tag: string, part: 'month' | 'weekday', style: 'short' | 'long'): string {
	const options: Intl.DateTimeFormatOptions = part === 'month' ? { day: 'numeric', month: style } : { weekday: style };
	return (
		intl(tag, options)
			.formatToParts(at)
			.find((p) => p.type === part)?.value ?? ''
	);
}

/** A date in the format of its column; nothing where that has none, or it is no date. */
export function dateText(value: string, column: { type?: string; format?: string }, zone: string, tag: string): string {
	const parts = stamp.exec(value);
	const format = column.format;
	if (!format || format === 'plain' || !parts) return format === 'plain' ? value.replace('T', ' ') : '';
	const [, date, time, fraction = '', given = ''] = parts;
	const at = new Date(`${date}T${time ?? '00:00'}Z`);
	if (Number.isNaN(at.valueOf())) return '';
	const offset = given === 'Z' ? '+00:00' : given;
	const changes = time !== undefined && clockChange(date!, zone) !== 0;
	if (lengths.includes(format)) {
		const style = format as Length;
		const timeStyle = style === 'short' ? 'short' : 'medium';
		const shown = intl(tag, { dateStyle: style, ...(time ? { timeStyle } : {}) }).format(at);
		return shown + (changes && offset ? ' ' + offset : '');
	}
	let clock = false;
	let told = false;
	const pad = (n: number, width: number) => String(n).padStart(width, '0');
	const [weekYear, week] = isoWeek(at);
	const text = format.replace(fields, (all: string, quoted?: string, letter?: string) => {
		if (quoted !== undefined) return quoted.replaceAll("''", "'") || "'";
		if (!letter) return all;
		const width = all.length;
		if ('HhmsSa'.includes(letter)) clock = true;
		if ('xX'.includes(letter)) told = true;
		switch (letter) {
			case 'y':
			case 'Y': {
				const year = letter === 'y' ? at.getUTCFullYear() : weekYear;
				return width === 2 ? pad(year % 100, 2) : pad(year, width);
			}
			case 'Q':
				return (width === 3 ? 'Q' : '') + pad(Math.floor(at.getUTCMonth() / 3) + 1, width === 3 ? 1 : width);
			case 'M':
				return width < 3 ? pad(at.getUTCMonth() + 1, width) : nameOf(at, tag, 'month', width === 3 ? 'short' : 'long');
			case 'd':
				return pad(at.getUTCDate(), width);
			case 'E':
				return nameOf(at, tag, 'weekday', width < 4 ? 'short' : 'long');
			case 'w':
				return pad(week, width);
			case 'H':
				return pad(at.getUTCHours(), width);
			case 'h':
				return pad(((at.getUTCHours() + 11) % 12) + 1, width);
			case 'm':
				return pad(at.getUTCMinutes(), width);
			case 's':
				return pad(at.getUTCSeconds(), width);
			case 'S':
				return (fraction.slice(1) + '000000').slice(0, width);
			case 'a':
				return at.getUTCHours() < 12 ? 'AM' : 'PM';
			case 'x':
				return offset;
			case 'X':
				return offset === '+00:00' ? 'Z' : offset;
		}
		return all;
	});
	return text + (changes && clock && !told && offset ? ' ' + offset : '');
}

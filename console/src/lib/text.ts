// How values are said to people, in the reader's language.
import { account } from './account.svelte';
import type { Total } from './api';
import { clockChange } from './clock';
import { dateText, stamp } from './dates';

const language = navigator.language;

/** Formats are made when they are first needed: each takes milliseconds. */
const lazy = <T>(make: () => T) => {
	let made: T | undefined;
	return () => (made ??= make());
};

/** Where values are shown: in the zone of a report, and in its language where it has one. */
export type Place = { zone?: string; language?: string };

/** The formats of a language. */
const formatsOf = (tag: string) => ({
	number: lazy(() => new Intl.NumberFormat(tag, { maximumFractionDigits: 12 })),
	money: lazy(() => new Intl.NumberFormat(tag, { minimumFractionDigits: 2, maximumFractionDigits: 2 })),
	plain: lazy(() => new Intl.NumberFormat(tag, { maximumFractionDigits: 12, useGrouping: false })),
	day: lazy(() => new Intl.DateTimeFormat(tag, { dateStyle: 'medium', timeZone: 'UTC' })),
	moment: lazy(() => new Intl.DateTimeFormat(tag, { dateStyle: 'medium', timeStyle: 'medium', timeZone: 'UTC' })),
});
const ofLanguages = new Map<string, ReturnType<typeof formatsOf>>();
function formatsIn(tag = language) {
	let formats = ofLanguages.get(tag);
	if (!formats) ofLanguages.set(tag, (formats = formatsOf(tag)));
	return formats;
}
const dayOfYear = lazy(() => new Intl.DateTimeFormat(language, { day: 'numeric', month: 'short', timeZone: 'UTC' }));
const momentOfYear = lazy(
	() =>
		new Intl.DateTimeFormat(language, {
			...{ day: 'numeric', month: 'short', timeZone: 'UTC' },
			...{ hour: 'numeric', minute: '2-digit', second: '2-digit' },
		}),
);
const instant = lazy(
	() =>
		new Intl.DateTimeFormat(language, {
			dateStyle: 'medium',
			timeStyle: 'short',
			timeZone: account.me?.zone || undefined,
		}),
);

export const countText = (n: number) => formatsIn().number().format(n);
const outcomes: Record<string, string> = { timed_out: 'Timed out' };
/** How a run ended, as people say it. */
export const outcomeText = (outcome: string) => outcomes[outcome] ?? outcome.charAt(0).toUpperCase() + outcome.slice(1);
export const recordsText = (n: number) => `${countText(n)} ${n === 1 ? 'record' : 'records'}`;

const units = ['byte', 'kilobyte', 'megabyte', 'gigabyte'];
/** How large a file is. */
export function sizeText(bytes: number): string {
	const at = Math.min(units.length - 1, Math.floor(Math.log10(Math.max(bytes, 1)) / 3));
	return new Intl.NumberFormat(language, {
		...{ style: 'unit', unit: units[at], unitDisplay: 'short', maximumFractionDigits: 1 },
	}).format(bytes / 1000 ** at);
}

/** A moment of this service's own, in the zone the reader chose or the browser has. */
export const instantText = (iso: string) => instant().format(new Date(iso));

const relative = lazy(() => new Intl.RelativeTimeFormat(language, { numeric: 'auto' }));
/** How long ago a moment was, as far as it is not long ago. */
export function agoText(iso: string, now = Date.now()): string {
	const minutes = Math.round((Date.parse(iso) - now) / 60_000);
	if (minutes > -1) return 'just now';
	if (minutes > -60) return relative().format(minutes, 'minute');
	if (minutes > -24 * 60) return relative().format(Math.round(minutes / 60), 'hour');
	if (minutes > -30 * 24 * 60) return relative().format(Math.round(minutes / 1440), 'day');
	return instantText(iso);
}

/**
 * A day or a date-time of the data in the reader's language: the clock of the
 * report's zone as it stands, with the offset from UTC; anything else as it is.
 */
export function stampText(text?: string, withYear = true, tag = language): string {
	const parts = stamp.exec(text ?? '');
	if (!parts) return text ?? '';
	const [, date, time, fraction, offset] = parts;
	const at = new Date(`${date}T${time ?? '00:00'}Z`);
	if (Number.isNaN(at.valueOf())) return text!;
	if (!time) return (withYear ? formatsIn(tag).day : dayOfYear)().format(at);
	const format = (withYear ? formatsIn(tag).moment : momentOfYear)();
	const clock = fraction
		? format.formatToParts(at).map((part) => (part.type === 'second' ? part.value + fraction : part.value))
		: [format.format(at)];
	return clock.join('') + (offset ? ' ' + offset : '');
}

/**
 * A date-time of a report in a zone: its offset is told on days alone on which
 * the clocks of the zone change.
 */
export function momentText(text: string | undefined, place: Place, withYear = true): string {
	const parts = stamp.exec(text ?? '');
	const told = !parts?.[4] || (parts[1] && clockChange(parts[1], place.zone ?? ''));
	return stampText(told ? text : text!.slice(0, text!.length - parts![4]!.length), withYear, place.language);
}

const span = lazy(
	() => new Intl.DateTimeFormat(language, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' }),
);

/** Two days as one expression: 1 – 31 Mar 2025. */
export function spanText(from?: string, through?: string): string {
	const day = (text?: string) =>
		text && /^\d{4}-\d\d-\d\d/.test(text) ? new Date(text.slice(0, 10) + 'T00:00Z') : undefined;
	const [a, b] = [day(from), day(through)];
	if (a && b) return span().formatRange(a, b);
	if (a) return `from ${span().format(a)}`;
	return b ? `through ${span().format(b)}` : '';
}

export type Cell = string | number | boolean | null;

/** Whether a column holds numbers, which stand at the right. */
export const isNumber = (column: { type?: string }) => column.type === 'integer' || column.type === 'decimal';

/** How a column is shown. */
export type Format = { type?: string; format?: string; words?: { yes?: string; no?: string; blank?: string } };

/** A value as people read it. Identifiers are not grouped. */
export function cellText(value: Cell | undefined, column: Format, place: Place = {}): string {
	if (value === null || value === undefined) return column.words?.blank ?? '';
	if (typeof value === 'boolean') return (value ? column.words?.yes : column.words?.no) ?? (value ? 'yes' : 'no');
	if (typeof value === 'number' || isNumber(column)) {
		const shown = durationText(value, column.format) || patternText(value, column.format, place.language);
		if (shown) return shown;
		const formats = formatsIn(place.language);
		const exact = value as Intl.StringNumericLiteral; // text of many digits stays exact
		const grouped = column.type === 'decimal' && column.format !== 'plain';
		return (column.format === 'money' ? formats.money : grouped ? formats.number : formats.plain)().format(exact);
	}
	if (column.type !== 'date' && column.type !== 'date-time') return stampText(value, true, place.language);
	const shown = dateText(value, column, place.zone ?? '', place.language || language);
	return (
		shown ||
		(place.zone && column.type === 'date-time' ? momentText(value, place) : stampText(value, true, place.language))
	);
}

/** What stands before a value that stands out, so that a colour is never all there is. */
export const marks: Record<string, string> = { good: '✓ ', warning: '! ', bad: '✗ ' };

/** A pattern of the Unicode CLDR taken apart: what stands around the digits, and the digits. */
type Pattern = { around: [string, string]; negative: [string, string]; number: Intl.NumberFormat; shift: number };
const patterns = new Map<string, Pattern | undefined>();
const exactly = lazy(() => new Intl.NumberFormat('en', { maximumFractionDigits: 20, useGrouping: false }));
const affix = String.raw`((?:'(?:[^']|'')*'|[^'#0,.;])*)`;
const parts = new RegExp(`^${affix}([#,]*[0,]*)(?:\\.(0*)(#*))?${affix}(?:;${affix}[#0,.]+${affix})?$`, 'su');
const said = (text = '') =>
	text.replace(/'((?:[^']|'')+)'|''/g, (_, inner?: string) => inner?.replaceAll("''", "'") ?? "'");

/** The service has checked it: what is not read here is shown by its digits. */
function patternOf(text: string, tag: string): Pattern | undefined {
	const found = parts.exec(text);
	if (!found || !/[#0]/.test(found[2]! + (found[3] ?? '') + (found[4] ?? ''))) return undefined;
	const [, before, whole = '', least = '', more = '', after, other, behind] = found;
	const around: [string, string] = [said(before), said(after)];
	const sign = around.join('');
	return {
		around,
		negative: other === undefined ? ['-' + around[0], around[1]] : [said(other), said(behind)],
		shift: sign.includes('%') ? 2 : sign.includes('‰') ? 3 : 0,
		number: new Intl.NumberFormat(tag, {
			minimumIntegerDigits: Math.max(whole.replaceAll(/[#,]/g, '').length, 1),
			minimumFractionDigits: least.length,
			maximumFractionDigits: least.length + more.length,
			useGrouping: whole.includes(','),
			signDisplay: 'never',
		}),
	};
}

/** The digits of a number with its decimal mark moved, exact however many there are. */
function shifted(digits: string, by: number): string {
	const [, whole = '', places = ''] = /^(\d*)\.?(\d*)$/.exec(digits) ?? [];
	const moved = places.padEnd(by, '0');
	return `${whole}${moved.slice(0, by)}.${moved.slice(by)}0`;
}

/** The formats of numbers that have a name; any other is a pattern. */
export const named = ['plain', 'money', 'hours', 'minutes'];

/** A number as a pattern has it, with the marks of the reader's language; nothing in other formats. */
export function patternText(value: Cell, format?: string, tag = language): string {
	if (!format || named.includes(format) || value === null) return '';
	const key = tag + ' ' + format;
	if (!patterns.has(key)) patterns.set(key, patternOf(format, tag));
	const pattern = patterns.get(key);
	const text = String(value);
	const digits = /e/i.test(text) ? exactly().format(Number(text)) : text;
	if (!pattern || !/^-?\d*\.?\d*$/.test(digits)) return '';
	const moved = shifted(digits.replace('-', ''), pattern.shift) as Intl.StringNumericLiteral;
	const shown = pattern.number.format(moved);
	const below = digits.startsWith('-') && shown !== pattern.number.format(0); // not what is rounded to nothing
	const [prefix, suffix] = below ? pattern.negative : pattern.around;
	return prefix + shown + suffix;
}

/** A number of hours as "27 h 45 min", one of minutes as "12 min 30 s"; nothing in other formats. */
export function durationText(value: Cell, format?: string): string {
	if ((format !== 'hours' && format !== 'minutes') || !Number.isFinite(Number(value))) return '';
	const [whole, part] = format === 'hours' ? ['h', 'min'] : ['min', 's'];
	const left = Math.round(Number((Math.abs(Number(value)) * 60).toPrecision(15))); // of the decimal, not of a binary fraction
	const [most, least] = [Math.floor(left / 60), left % 60];
	const parts = [...(most ? [`${most} ${whole}`] : []), ...(least || !most ? [`${least} ${part}`] : [])];
	return (Number(value) < 0 && left ? '-' : '') + parts.join(' ');
}

/** What a total, or what a group has in common, is said as. */
export function valueText(of: { value?: unknown; type?: string; format?: string }, place: Place = {}): string {
	if (of.value === null || of.value === undefined) return 'blank';
	const isQuantity = typeof of.value === 'number' || of.type === 'integer';
	return cellText(of.value as Cell, { format: of.format, type: isQuantity ? 'decimal' : (of.type ?? 'text') }, place);
}

/** What was made of many records, on one line; their number where nothing was. */
export const totalsText = (totals: Total[], count: number, place: Place) =>
	totals.length ? totals.map((t) => `${t.label} ${valueText(t, place)}`).join(' · ') : recordsText(count);

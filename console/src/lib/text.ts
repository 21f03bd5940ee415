// How values are said to people, in the reader's language.
import { account } from './account.svelte';
import type { Total } from './api';
import { clockChange } from './clock';

const language = navigator.language;

/** Formats are made when they are first needed: each takes milliseconds. */
const lazy = <T>(make: () => T) => {
	let made: T | undefined;
	return () => (made ??= make());
};
const number = lazy(() => new Intl.NumberFormat(language, { maximumFractionDigits: 12 }));
const money = lazy(() => new Intl.NumberFormat(language, { minimumFractionDigits: 2, maximumFractionDigits: 2 }));
const plain = lazy(() => new Intl.NumberFormat(language, { maximumFractionDigits: 12, useGrouping: false }));
const day = lazy(() => new Intl.DateTimeFormat(language, { dateStyle: 'medium', timeZone: 'UTC' }));
const moment = lazy(
	() => new Intl.DateTimeFormat(language, { dateStyle: 'medium', timeStyle: 'medium', timeZone: 'UTC' }),
);
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

export const countText = (n: number) => number().format(n);
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

const stamp = /^(\d{4}-\d\d-\d\d)(?:[T ](\d\d:\d\d(?::\d\d)?)(\.\d+)?(Z|[+-]\d\d:\d\d)?)?$/;

/**
 * A day or a date-time of the data in the reader's language: the clock of the
 * report's zone as it stands, with the offset from UTC; anything else as it is.
 */
export function stampText(text?: string, withYear = true): string {
	const parts = stamp.exec(text ?? '');
	if (!parts) return text ?? '';
	const [, date, time, fraction, offset] = parts;
	const at = new Date(`${date}T${time ?? '00:00'}Z`);
	if (Number.isNaN(at.valueOf())) return text!;
	if (!time) return (withYear ? day : dayOfYear)().format(at);
	const format = (withYear ? moment : momentOfYear)();
	const clock = fraction
		? format.formatToParts(at).map((part) => (part.type === 'second' ? part.value + fraction : part.value))
		: [format.format(at)];
	return clock.join('') + (offset ? ' ' + offset : '');
}

/**
 * A date-time of a report in a zone: its offset is told on days alone on which
 * the clocks of the zone change.
 */
export function momentText(text: string | undefined, zone: string, withYear = true): string {
	const parts = stamp.exec(text ?? '');
	if (!parts?.[4] || (parts[1] && clockChange(parts[1], zone))) return stampText(text, withYear);
	return stampText(text!.slice(0, text!.length - parts[4].length), withYear);
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

/**
 * A value as people read it; blank is the empty text. Identifiers are not grouped.
 * With a zone, date-times are those of a report in it.
 */
export function cellText(value: Cell | undefined, column: { type?: string; format?: string }, zone = ''): string {
	if (value === null || value === undefined) return '';
	if (typeof value === 'boolean') return value ? 'yes' : 'no';
	if (typeof value === 'number' || isNumber(column)) {
		const shown = durationText(value, column.format) || patternText(value, column.format);
		if (shown) return shown;
		const exact = value as Intl.StringNumericLiteral; // text of many digits stays exact
		return (column.format === 'money' ? money : column.type === 'decimal' ? number : plain)().format(exact);
	}
	return zone && column.type === 'date-time' ? momentText(value, zone) : stampText(value);
}

/** A pattern of the Unicode CLDR taken apart: what stands around the digits, and the digits. */
type Pattern = { around: [string, string]; negative: [string, string]; number: Intl.NumberFormat; shift: number };
const patterns = new Map<string, Pattern | undefined>();
const exactly = lazy(() => new Intl.NumberFormat('en', { maximumFractionDigits: 20, useGrouping: false }));
const affix = String.raw`((?:'(?:[^']|'')*'|[^'#0,.;])*)`;
const parts = new RegExp(`^${affix}([#,]*[0,]*)(?:\\.(0*)(#*))?${affix}(?:;${affix}[#0,.]+${affix})?$`, 'su');
const said = (text = '') =>
	text.replace(/'((?:[^']|'')+)'|''/g, (_, inner?: string) => inner?.replaceAll("''", "'") ?? "'");

/** The service has checked it: what is not read here is shown by its digits. */
function patternOf(text: string): Pattern | undefined {
	const found = parts.exec(text);
	if (!found || !/[#0]/.test(found[2]! + (found[3] ?? '') + (found[4] ?? ''))) return undefined;
	const [, before, whole = '', least = '', more = '', after, other, behind] = found;
	const around: [string, string] = [said(before), said(after)];
	const sign = around.join('');
	return {
		around,
		negative: other === undefined ? ['-' + around[0], around[1]] : [said(other), said(behind)],
		shift: sign.includes('%') ? 2 : sign.includes('‰') ? 3 : 0,
		number: new Intl.NumberFormat(language, {
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
export function patternText(value: Cell, format?: string): string {
	if (!format || named.includes(format) || value === null) return '';
	if (!patterns.has(format)) patterns.set(format, patternOf(format));
	const pattern = patterns.get(format);
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
	const parts = [
		...(most ? [`${plain().format(most)} ${whole}`] : []),
		...(least || !most ? [`${least} ${part}`] : []),
	];
	return (Number(value) < 0 && left ? '-' : '') + parts.join(' ');
}

export function valueText(value: unknown, format?: string): string {
	if (value === null || value === undefined) return 'blank';
	return cellText(value as Cell, { format, type: typeof value === 'number' ? 'decimal' : 'text' });
}

/** What was made of many records, on one line; their number where nothing was. */
export const totalsText = (totals: Total[], count: number) =>
	totals.length ? totals.map((t) => `${t.label} ${valueText(t.value, t.format)}`).join(' · ') : recordsText(count);

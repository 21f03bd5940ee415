// How values are said to people, in the reader's language.
import type { Total } from './api';

const language = navigator.language;
const number = new Intl.NumberFormat(language, { maximumFractionDigits: 12 });
const money = new Intl.NumberFormat(language, { minimumFractionDigits: 2, maximumFractionDigits: 2 });
const plain = new Intl.NumberFormat(language, { maximumFractionDigits: 12, useGrouping: false });
const day = new Intl.DateTimeFormat(language, { dateStyle: 'medium', timeZone: 'UTC' });
const moment = new Intl.DateTimeFormat(language, { dateStyle: 'medium', timeStyle: 'medium', timeZone: 'UTC' });
const instant = new Intl.DateTimeFormat(language, { dateStyle: 'medium', timeStyle: 'short' });

export const countText = (n: number) => number.format(n);
const outcomes: Record<string, string> = { timed_out: 'Timed out' };
/** How a run ended, as people say it. */
export const outcomeText = (outcome: string) => outcomes[outcome] ?? outcome.charAt(0).toUpperCase() + outcome.slice(1);
export const recordsText = (n: number) => `${countText(n)} ${n === 1 ? 'record' : 'records'}`;

/** A moment of this service's own, in the reader's time zone. */
export const instantText = (iso: string) => instant.format(new Date(iso));

const stamp = /^(\d{4}-\d\d-\d\d)(?:[T ](\d\d:\d\d(?::\d\d)?)(\.\d+)?(Z|[+-]\d\d:\d\d)?)?$/;

/**
 * A day or a date-time of the data in the reader's language: the clock of the
 * report's zone as it stands, with the offset from UTC; anything else as it is.
 */
export function stampText(text?: string): string {
	const parts = stamp.exec(text ?? '');
	if (!parts) return text ?? '';
	const [, date, time, fraction, offset] = parts;
	const at = new Date(`${date}T${time ?? '00:00'}Z`);
	if (Number.isNaN(at.valueOf())) return text!;
	if (!time) return day.format(at);
	const clock = fraction
		? moment.formatToParts(at).map((part) => (part.type === 'second' ? part.value + fraction : part.value))
		: [moment.format(at)];
	return clock.join('') + (offset ? ' ' + offset : '');
}

export type Cell = string | number | boolean | null;

/** Whether a column holds numbers, which stand at the right. */
export const isNumber = (column: { type?: string }) => column.type === 'integer' || column.type === 'decimal';

/** A value as people read it; blank is the empty text. Identifiers are not grouped. */
export function cellText(value: Cell | undefined, column: { type?: string; format?: string }): string {
	if (value === null || value === undefined) return '';
	if (typeof value === 'boolean') return value ? 'yes' : 'no';
	if (typeof value === 'number' || isNumber(column)) {
		const exact = value as Intl.StringNumericLiteral; // text of many digits stays exact
		return (column.format === 'money' ? money : column.type === 'decimal' ? number : plain).format(exact);
	}
	return stampText(value);
}

function valueText(value: unknown, format?: string): string {
	if (value === null || value === undefined) return 'blank';
	return cellText(value as Cell, { format, type: typeof value === 'number' ? 'decimal' : 'text' });
}

/** What was made of many records, on one line; their number where nothing was. */
export const totalsText = (totals: Total[], count: number) =>
	totals.length ? totals.map((t) => `${t.label} ${valueText(t.value, t.format)}`).join(' · ') : recordsText(count);

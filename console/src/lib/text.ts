// How values are said to people, in the reader's language.
import type { Total } from './api';

const number = new Intl.NumberFormat(navigator.language, { maximumFractionDigits: 12 });

export const countText = (n: number) => number.format(n);
const outcomes: Record<string, string> = { timed_out: 'Timed out' };
/** How a run ended, as people say it. */
export const outcomeText = (outcome: string) => outcomes[outcome] ?? outcome.charAt(0).toUpperCase() + outcome.slice(1);
export const recordsText = (n: number) => `${countText(n)} ${n === 1 ? 'record' : 'records'}`;

/** Dates stand in ISO form everywhere, with a blank between day and time. */
export const stampText = (text?: string) => text?.replace('T', ' ') ?? '';

const money = new Intl.NumberFormat(navigator.language, { minimumFractionDigits: 2, maximumFractionDigits: 2 });

function valueText(value: unknown, format?: string): string {
	if (value === null || value === undefined) return 'blank';
	if (typeof value === 'number' && format === 'money') return money.format(value);
	if (typeof value === 'number') return number.format(value);
	if (typeof value === 'boolean') return value ? 'yes' : 'no';
	return stampText(String(value));
}

/** What was made of many records, on one line; their number where nothing was. */
export const totalsText = (totals: Total[], count: number) =>
	totals.length ? totals.map((t) => `${t.label} ${valueText(t.value, t.format)}`).join(' · ') : recordsText(count);

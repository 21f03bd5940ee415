// What a column is made of, taken apart: a value of other records in their order, or of a
// group of records, as the language writes it.
import { quoted } from './building';

/** What is made, of which column, for each of which others. */
export type Making = { made: string; of: string; by: string[]; ascending: boolean; percent: string };

/** What can be made, as it is written and as people read it, and whether it is of groups. */
export const makings = [
	{ made: '', words: 'as it is', of: true, by: '' },
	{ made: 'running sum', words: 'running total', of: true, by: 'by' },
	{ made: 'running count', words: 'running number', of: false, by: 'by' },
	{ made: 'running average', words: 'running average', of: true, by: 'by' },
	{ made: 'previous', words: 'value of the record before', of: true, by: 'by' },
	{ made: 'rank', words: 'rank', of: true, by: 'by' },
	{ made: 'share', words: 'share of the sum', of: true, by: 'in' },
	{ made: 'count', words: 'number of records', of: false, by: '', grouped: true },
	{ made: 'sum', words: 'sum', of: true, by: '', grouped: true },
	{ made: 'average', words: 'average', of: true, by: '', grouped: true },
	{ made: 'least', words: 'minimum', of: true, by: '', grouped: true },
	{ made: 'greatest', words: 'maximum', of: true, by: '', grouped: true },
	{ made: 'median', words: 'median', of: true, by: '', grouped: true },
	{ made: 'percentile', words: 'percentile', of: true, by: '', grouped: true },
	{ made: 'count distinct', words: 'distinct values', of: true, by: '', grouped: true },
] as const;

const name = String.raw`(?:"(?:[^"]|"")+"|[A-Za-z_]\w*)(?:\.(?:"(?:[^"]|"")+"|[A-Za-z_]\w*))?`;
const forms = new RegExp(
	String.raw`^(?:(running count|count)|previous (?<before>${name})|(?:(?<made>running (?:sum|average)|rank|share|sum|average|least|greatest|median|count distinct)|percentile (?<percent>\d+(?:\.\d+)?)) of (?<of>${name})|(?<plain>${name}))` +
		String.raw`(?<ascending> ascending)?(?: (?<word>by|in) (?:(?<key>${name})|\((?<keys>${name}(?:, ?${name})*)\)))?$`,
	'i',
);

/** A value taken apart; nothing where it says more than that. */
export function takenApart(text: string): Making | undefined {
	const found = forms.exec(text.trim().replace(/\s+/g, ' '));
	if (!found) return undefined;
	const g = found.groups ?? {};
	const made = (found[1] ?? g.made ?? (g.before ? 'previous' : g.percent ? 'percentile' : '')).toLowerCase();
	const known = makings.find((m) => m.made === made);
	const by = g.key ? [g.key] : g.keys ? [...g.keys.matchAll(new RegExp(name, 'g'))].map((m) => m[0]) : [];
	if (!known || (g.word?.toLowerCase() ?? '') !== (by.length ? known.by : '') || (g.ascending && made !== 'rank'))
		return undefined;
	return { made, of: g.of ?? g.before ?? g.plain ?? '', by, ascending: !!g.ascending, percent: g.percent ?? '90' };
}

/** It as it is written. */
export function written({ made, of, by, ascending, percent }: Making): string {
	const known = makings.find((m) => m.made === made)!;
	const head = made === 'percentile' ? `percentile ${percent} of` : made === 'previous' ? made : `${made} of`;
	const value = !made ? of : known.of ? `${head} ${of}` : made;
	const keys = by.length === 1 ? by[0]! : `(${by.join(', ')})`;
	return (
		value + (made === 'rank' && ascending ? ' ascending' : '') + (by.length && known.by ? ` ${known.by} ${keys}` : '')
	);
}

/** The value that a choice of what is made leads to. */
export function remade(before: Making, made: string, columns: string[]): string {
	const known = makings.find((m) => m.made === made)!;
	const of = before.of || quoted(columns[0] ?? '');
	return written({ ...before, made, of, by: known.by ? before.by : [] });
}

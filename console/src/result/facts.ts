// What a run found, at a glance.
import type { Edges, Total } from '../lib/api';
import { countText, momentText, valueText, type Place } from '../lib/text';
import type { Fact } from '../parts/Facts.svelte';

type Found = {
	count: number;
	first?: string;
	last?: string;
	edges?: Edges;
	totals?: Total[] | null;
	left_out?: { records: number; at_least?: boolean; columns?: string[] | null };
};

export function factsOf(found: Found, place: Place): Fact[] {
	const { edges, left_out: left } = found;
	// The year is told where it is not the same in all of them.
	const years = new Set(
		[found.first, found.last, edges?.before, edges?.after].filter(Boolean).map((t) => t!.slice(0, 4)),
	);
	const moment = (text?: string) => momentText(text, place, !(found.first && years.size === 1));
	const onDay = (day?: { day: string; count: number }) => (day ? `${countText(day.count)} on that day` : '');
	const facts: Fact[] = [
		{ label: 'Records', value: countText(found.count), main: true, mark: 'count', raw: String(found.count) },
	];
	const end = (mark: string, label: string, at?: string, on?: { day: string; count: number }) => {
		if (at) facts.push({ label, value: moment(at), datetime: at, note: onDay(on), mark });
	};
	const beyond = (mark: string, label: string, at?: string, none?: string) => {
		if (!at && !none) return;
		facts.push({ label, value: none ? 'none' : moment(at), note: none || 'outside the period', outside: true, mark });
	};
	end('first', 'First', found.first, edges?.first_day);
	end('last', 'Last', found.last, edges?.last_day);
	beyond('before', 'Nearest before', edges?.before, edges?.no_before ? 'no earlier record' : '');
	beyond('after', 'Nearest after', edges?.after, edges?.no_after ? 'no later record' : '');
	for (const t of found.totals ?? []) facts.push({ label: t.label, value: valueText(t, place), mark: 'total' });
	if (left?.records)
		facts.push({
			label: 'Left out',
			value: (left.at_least ? 'at least ' : '') + countText(left.records),
			note: `no valid date in ${(left.columns ?? []).join(', ')}`,
			mark: 'left-out',
		});
	return facts;
}

/** Says that records without a valid date were not counted, where it is so. */
export const uncountedText = ({ left_out: left }: Found) =>
	left && !left.records ? `records without a valid date in ${(left.columns ?? []).join(', ')} not counted` : '';

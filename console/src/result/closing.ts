// What closes a group of records, laid out under the columns.
import type { Column, Opening, Subtotal } from '../lib/api';
import { cellText, recordsText, valueText, type Cell, type Place } from '../lib/text';

export type ClosingCell = { text: string; span: number; number: boolean };

/** What the records of a group have in common. */
export function openingText(group: Omit<Opening, 'level'>, columns: Column[], place: Place): string {
	const by = columns.find((c) => group.of && c.name === group.of);
	if ('all' in group && group.all) return 'All';
	return `${group.label} ${by ? cellText(group.value as Cell, by, place) || 'blank' : valueText(group, place)}`;
}

/**
 * The group's name over the columns before its first total, and each total under
 * the column it is made of; what is made of no column is said with the name.
 */
export function closingCells(group: Subtotal, columns: Column[], place: Place): ClosingCell[] {
	const of = (c: Column) => group.totals?.find((t) => t.of === c.name);
	const others = (group.totals ?? []).filter((t) => !columns.some((c) => c.name === t.of));
	const parts = [
		openingText(group, columns, place),
		...others.map((t) => `${t.label} ${valueText(t, place)}`),
		...(group.totals?.length ? [] : [recordsText(group.count)]),
	];
	const totals = columns.map(of);
	// The name needs a column of its own.
	if (totals[0]) parts.push(`${totals[0].label} ${valueText(totals[0], place)}`);
	const at = totals.findIndex((t, i) => i > 0 && t);
	const span = at < 0 ? columns.length : at;
	return [
		{ text: parts.join(' · '), span, number: false },
		...totals.slice(span).map((t) => ({ text: t ? valueText(t, place) : '', span: 1, number: true })),
	];
}

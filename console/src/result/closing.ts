// What closes a group of records, laid out under the columns.
import type { Column, Subtotal } from '../lib/api';
import { recordsText, valueText } from '../lib/text';

export type ClosingCell = { text: string; span: number; number: boolean };

/**
 * The group's name over the columns before its first total, and each total under
 * the column it is made of; what is made of no column is said with the name.
 */
export function closingCells(group: Subtotal, columns: Column[]): ClosingCell[] {
	const of = (c: Column) => group.totals?.find((t) => t.of === c.name);
	const others = (group.totals ?? []).filter((t) => !columns.some((c) => c.name === t.of));
	const parts = [
		`${group.label} ${group.value ?? 'blank'}`,
		...others.map((t) => `${t.label} ${valueText(t.value, t.format)}`),
		...(group.totals?.length ? [] : [recordsText(group.count)]),
	];
	const totals = columns.map(of);
	// The name needs a column of its own.
	if (totals[0]) parts.push(`${totals[0].label} ${valueText(totals[0].value, totals[0].format)}`);
	const at = totals.findIndex((t, i) => i > 0 && t);
	const span = at < 0 ? columns.length : at;
	return [
		{ text: parts.join(' · '), span, number: false },
		...totals.slice(span).map((t) => ({ text: t ? valueText(t.value, t.format) : '', span: 1, number: true })),
	];
}

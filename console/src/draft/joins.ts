// Joins that the foreign keys of a source propose.
import type { Source } from '../lib/api';
import type { Value } from './definition';

/** Many tells that the joined table has several records for each. */
export type Proposal = { item: Value; words: string; many: boolean };

/** Tables that could be joined to those in use, the ones they name first. */
export function proposals(source: Source | undefined, inUse: string[]): Proposal[] {
	const own: Proposal[] = [];
	const others: Proposal[] = [];
	for (const table of source?.tables ?? []) {
		for (const reference of table.references ?? []) {
			const columns = reference.columns ?? [];
			const on = columns.map((c, i) => `${table.name}.${c} = ${reference.table}.${reference.to?.[i]}`).join(' and ');
			const optional = columns.some((c) => table.columns?.find((column) => column.name === c)?.nullable);
			const forward = inUse.includes(table.name) && !inUse.includes(reference.table);
			if (forward)
				own.push({
					item: { table: reference.table, ...(optional ? { optional: true } : {}), on },
					words: `${reference.table} on ${on}${optional ? ', optional' : ''}`,
					many: false,
				});
			else if (inUse.includes(reference.table) && !inUse.includes(table.name))
				others.push({ item: { table: table.name, on }, words: `${table.name} on ${on}`, many: true });
		}
	}
	return [...own, ...others];
}

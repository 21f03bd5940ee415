<script lang="ts">
	// The records: only the rows in view are in the page, whatever their number.
	import { createVirtualizer } from '@tanstack/svelte-virtual';
	import { untrack } from 'svelte';
	import type { Column } from './api';
	import type { Cell, Row } from './run.svelte';
	import { totalsText } from './text';

	let {
		columns,
		rows,
		kept,
		title,
		sort,
		onsort,
	}: {
		columns: Column[];
		rows: Row[];
		kept: number;
		title: string;
		sort: string[];
		onsort: (sort: string[]) => void;
	} = $props();

	// A click on a head orders by it, up, then down, then as the report does.
	const direction = (c: Column) =>
		sort[0] === c.name ? 'ascending' : sort[0] === c.name + ' descending' ? 'descending' : 'none';
	function turn(c: Column) {
		const next = { none: [c.name], ascending: [c.name + ' descending'], descending: [] }[direction(c)];
		onsort(next);
	}

	const height = 27;
	let box = $state<HTMLDivElement>();
	const virtual = createVirtualizer<HTMLDivElement, HTMLTableRowElement>({
		count: 0,
		getScrollElement: () => box ?? null,
		estimateSize: () => height,
		overscan: 12,
	});
	const shown = $derived(Math.min(kept, rows.length));
	$effect(() => {
		const options = { count: shown, getScrollElement: () => box ?? null };
		untrack(() => $virtual.setOptions(options)); // setting them changes the store itself
	});

	const items = $derived($virtual.getVirtualItems());
	const before = $derived(items[0]?.start ?? 0);
	const after = $derived($virtual.getTotalSize() - (items.at(-1)?.end ?? 0));

	const isNumber = (c: Column) => c.type === 'integer' || c.type === 'decimal';
	const cellOf = (row: Row | undefined, i: number) => (Array.isArray(row) ? row[i] : undefined);
	function text(cell: Cell | undefined, column: Column): string {
		if (cell === null || cell === undefined) return '';
		if (typeof cell === 'boolean') return cell ? 'yes' : 'no';
		if (typeof cell === 'number') return column.format === 'money' ? cell.toFixed(2) : String(cell);
		return column.type === 'date-time' ? cell.replace('T', ' ') : cell;
	}
	// Widths by the first records, so that columns stand still while scrolling.
	const widths = $derived(
		columns.map((c, i) => {
			let most = c.label.length;
			for (let r = 0; r < Math.min(shown, 300); r++) most = Math.max(most, text(cellOf(rows[r], i), c).length);
			return Math.min(most, 60) + 3;
		}),
	);
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex (a region that scrolls must be reachable by keyboard) -->
<div
	bind:this={box}
	class="panel h-full min-h-40 overflow-auto"
	tabindex="0"
	role="region"
	aria-label="Records of {title}"
>
	<table
		class="w-max min-w-full table-fixed border-separate border-spacing-0 text-sm tabular-nums"
		aria-rowcount={kept + 1}
	>
		<colgroup>
			{#each widths as width, i (i)}<col style:width="{width}ch" />{/each}
		</colgroup>
		<thead>
			<tr aria-rowindex={1}>
				{#each columns as column (column.name)}
					<th
						scope="col"
						aria-sort={direction(column)}
						class="border-surface-300-700 bg-surface-100-900 sticky top-0 z-10 border-b px-2 py-1 font-semibold {isNumber(
							column,
						)
							? 'text-right'
							: 'text-left'}"
						><button type="button" class="font-semibold" onclick={() => turn(column)}
							>{column.label}<span aria-hidden="true"
								>{{ none: '', ascending: ' ▲', descending: ' ▼' }[direction(column)]}</span
							></button
						></th
					>
				{/each}
			</tr>
		</thead>
		<tbody>
			{#if before > 0}<tr aria-hidden="true"><td colspan={columns.length} style:height="{before}px"></td></tr>{/if}
			{#each items as item (item.index)}
				{@const row = rows[item.index]}
				<tr
					aria-rowindex={item.index + 2}
					class="even:bg-surface-100/60 dark:even:bg-surface-900/60"
					style:height="{height}px"
				>
					{#if row && !Array.isArray(row)}
						<td
							colspan={columns.length}
							data-group={row.group.level}
							class="bg-surface-100-900 px-2 font-semibold whitespace-nowrap"
							style:padding-left="{row.group.level + 0.5}rem"
							>{row.group.label}
							{row.group.value ?? 'blank'}: {totalsText(row.group.totals ?? [], row.group.count)}</td
						>
					{:else}
						{#each columns as column, i (column.name)}
							<td class="overflow-hidden px-2 text-ellipsis whitespace-nowrap {isNumber(column) ? 'text-right' : ''}"
								>{text(row?.[i], column)}</td
							>
						{/each}
					{/if}
				</tr>
			{/each}
			{#if after > 0}<tr aria-hidden="true"><td colspan={columns.length} style:height="{after}px"></td></tr>{/if}
		</tbody>
	</table>
</div>

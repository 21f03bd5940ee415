<script lang="ts">
	// The records on a narrow screen: a list of the first three columns; the rest
	// of a record on touch.
	import type { Column } from '../lib/api';
	import { cellText, marks, type Cell, type Place } from '../lib/text';
	import Dialog from '../parts/Dialog.svelte';
	import { closingCells, openingText } from './closing';
	import { emphasisOf, type Row } from './run.svelte';
	import { rowsInView } from './virtual.svelte';

	let {
		columns,
		rows,
		kept,
		title,
		place,
	}: { columns: Column[]; rows: Row[]; kept: number; title: string; place: Place } = $props();

	const height = 60;
	let box = $state<HTMLDivElement>();
	const shown = $derived(Math.min(kept, rows.length));
	const virtual = rowsInView<HTMLLIElement>(
		() => box,
		() => shown,
		height,
		8,
	);
	const items = $derived($virtual.getVirtualItems());
	let opened = $state.raw<Cell[]>();

	const text = (row: Cell[], i: number) =>
		columns[i] ? (marks[emphasisOf(row, columns[i].name)] ?? '') + cellText(row[i], columns[i], place) : '';
</script>

<div bind:this={box} class="panel h-full overflow-y-auto" role="region" aria-label="Records of {title}">
	<ul class="relative" style:height="{$virtual.getTotalSize()}px">
		{#each items as item (item.index)}
			{@const row = rows[item.index]}
			<li
				class="border-line absolute inset-x-0 border-b"
				style:height="{height}px"
				style:transform="translateY({item.start}px)"
			>
				{#if Array.isArray(row)}
					<button
						type="button"
						class="grid h-full w-full content-center gap-0.5 px-3.5 text-left"
						onclick={() => (opened = row)}
					>
						<span class="truncate font-semibold tabular-nums">{text(row, 0) || 'blank'}</span>
						<span class="text-ink-2 truncate text-[13px]"
							>{[text(row, 1), text(row, 2)].filter(Boolean).join(' · ')}</span
						>
					</button>
				{:else if row}
					<p class="bg-wash text-ink-2 grid h-full content-center px-3.5 text-[13px] font-semibold">
						{'head' in row ? openingText(row.head, columns, place) : closingCells(row.group, [], place)[0]!.text}
					</p>
				{/if}
			</li>
		{/each}
	</ul>
</div>
{#if opened}
	{@const row = opened}
	<Dialog title={text(row, 0) || 'Record'} onclose={() => (opened = undefined)}>
		<dl class="divide-line divide-y">
			{#each columns as column, i (column.name)}
				<div class="grid grid-cols-[8rem_1fr] gap-3 py-2">
					<dt class="text-ink-2 text-sm">{column.label}</dt>
					<dd class="wrap-anywhere tabular-nums">
						{#if text(row, i)}{text(row, i)}{:else}<span class="blank"><span class="sr-only">blank</span></span>{/if}
					</dd>
				</div>
			{/each}
		</dl>
	</Dialog>
{/if}

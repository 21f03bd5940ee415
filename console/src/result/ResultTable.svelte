<script lang="ts">
	// The records: only the rows in view are in the page, whatever their number.
	// Cells are chosen with the mouse or the arrow keys and copied as
	// tab-separated text; columns keep the place and width a reader gives them.
	import { tick, type Snippet } from 'svelte';
	import type { Column, Grouping, Link } from '../lib/api';
	import { cellAddress } from '../lib/link';
	import { changeText, clockChange } from '../lib/clock';
	import { keepLayout, ordered, readLayout } from './layout';
	import { emphasisOf, type Row } from './run.svelte';
	import { rowsInView } from './virtual.svelte';
	import { bounds, holds, step, tabSeparated, type Cursor, type Selection } from './selection';
	import { cellText, countText, isNumber, marks, type Cell, type Place } from '../lib/text';
	import { closingCells, openingText } from './closing';

	let {
		report,
		columns,
		rows,
		kept,
		title,
		locale = {},
		sort = [],
		onsort,
		heads,
		onmove,
		groups = [],
		links = [],
	}: {
		/** The name the reader's layout is kept under. */
		report: string;
		columns: Column[];
		rows: Row[];
		kept: number;
		title: string;
		/** The zone of its times, whose offsets are shown on days when its clocks change, and its language. */
		locale?: Place;
		sort?: string[];
		/** Orders by the database; without it the order is what it is. */
		onsort?: (sort: string[]) => void;
		/** What opens at the head of a column, and which one is open; instead of an order. */
		heads?: { opened: string; toggle: (name: string) => void; panel: Snippet<[Column]> };
		/** What the records are put together by. */
		groups?: Grouping[];
		/** Columns that lead to other reports. */
		links?: Link[];
		/** Moves a column to the place of another; without it the reader's own layout has its place. */
		onmove?: (name: string, to: string) => void;
	} = $props();

	// A click on a head orders by it, up, then down, then as the report does.
	const direction = (c: Column) =>
		sort[0] === c.name ? 'ascending' : sort[0] === c.name + ' descending' ? 'descending' : 'none';
	function turn(c: Column) {
		const next = { none: [c.name], ascending: [c.name + ' descending'], descending: [] }[direction(c)];
		onsort?.(next);
	}

	const height = 30;
	let box = $state<HTMLDivElement>();
	const shown = $derived(Math.min(kept, rows.length));
	const virtual = rowsInView<HTMLTableRowElement>(
		() => box,
		() => shown,
		height,
		6,
	);

	const items = $derived($virtual.getVirtualItems());
	const before = $derived(items[0]?.start ?? 0);
	const after = $derived($virtual.getTotalSize() - (items.at(-1)?.end ?? 0));

	const zone = $derived(locale.zone ?? '');
	const isStamp = (c: Column) => c.type === 'date' || c.type === 'date-time';
	const cellOf = (row: Row | undefined, i: number): Cell | undefined => (Array.isArray(row) ? row[i] : undefined);

	const leads = (column: Column) => links.find((l) => l.on === column.name);
	/** Where the line of a group leads, with what its records have in common; blank for nowhere. */
	function groupAddress(r: number, group: { level: number; of?: string; all?: boolean }): string {
		const link = group.of && !group.all && links.find((l) => l.on === group.of);
		if (!link) return '';
		const record = (by: 1 | -1) => {
			for (let at = r + by; at >= 0 && at < shown; at += by) if (Array.isArray(rows[at])) return rows[at] as Cell[];
		};
		const near = 'head' in (rows[r] as object) ? record(1) : record(-1);
		if (!near) return '';
		const common = groups.slice(0, group.level + 1).map((g) => g.of);
		return cellAddress(
			link,
			near.map((value, i) => (common.includes(columns[i]!.name) ? value : null)),
			columns,
		);
	}
	/** Whether a column that is shown once for each group was shown with a record before. */
	function isRepeated(r: number, column: Column): boolean {
		const level = groups.findIndex((g) => g.once && g.of === column.name);
		for (let before = r - 1; level >= 0 && before >= 0; before--) {
			const row = rows[before]!;
			if (Array.isArray(row)) return true;
			if ('group' in row && row.group.level <= level) return false;
		}
		return false;
	}
	/** What is said of the clocks where the first record of such a day stands. */
	function changeAt(r: number, place: number): string {
		const [value, before] = [cellOf(rows[r], place), cellOf(rows[r - 1], place)];
		if (!zone || typeof value !== 'string' || !/[+-]\d\d:\d\d$/.test(value)) return '';
		const day = value.slice(0, 10);
		if (typeof before === 'string' && before.startsWith(day)) return '';
		return changeText(clockChange(day, zone));
	}
	// The layout: places of the columns as they came, in the order they stand.
	let layout = $derived(readLayout(report));
	const places = $derived(
		ordered(
			columns.map((c) => c.name),
			layout.order,
		),
	);
	const shownColumns = $derived(places.map((p) => columns[p]!));
	const own = $derived(layout.order.length > 0 || Object.keys(layout.widths).length > 0);
	function keep(next: typeof layout) {
		layout = next;
		keepLayout(report, next);
	}
	// Widths by the first records, so that columns stand still while scrolling.
	const measured = $derived(
		columns.map((c, i) => {
			let most = c.label.length + 2;
			for (let r = 0; r < Math.min(shown, 200); r++)
				most = Math.max(most, cellText(cellOf(rows[r], i), c, locale).length + changeAt(r, i).length);
			return Math.min(most, 60) * 7.8 + 34;
		}),
	);
	const width = (place: number) => layout.widths[columns[place]!.name] ?? measured[place]!;
	const resize = (place: number, to: number) =>
		keep({ ...layout, widths: { ...layout.widths, [columns[place]!.name]: Math.max(40, Math.min(1200, to)) } });
	function move(from: number, to: number) {
		if (to < 0 || to >= places.length || from === to) return;
		if (onmove) return onmove(columns[places[from]!]!.name, columns[places[to]!]!.name);
		const order = places.map((p) => columns[p]!.name);
		order.splice(to, 0, order.splice(from, 1)[0]!);
		keep({ ...layout, order });
		said = `${columns[places[to]!]!.label} is column ${to + 1} of ${places.length}.`;
	}
	let dragged = $state<number>();
	function headKey(event: KeyboardEvent, at: number) {
		const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
		if (!by || !event.altKey) return;
		event.preventDefault();
		move(at, at + by);
		const to = Math.max(0, Math.min(places.length - 1, at + by));
		tick().then(() => box?.querySelectorAll<HTMLElement>('thead th [data-head]')[to]?.focus());
	}
	function pull(event: PointerEvent, place: number) {
		event.preventDefault();
		const handle = event.currentTarget as HTMLElement;
		handle.setPointerCapture(event.pointerId);
		const begun = width(place) - event.clientX;
		handle.onpointermove = (e) => resize(place, begun + e.clientX);
		handle.onpointerup = () => (handle.onpointermove = handle.onpointerup = null);
	}

	// What is chosen, by row and by place on the screen.
	let selection = $state<Selection>();
	let choosing = false;
	let said = $state('');
	$effect(() => {
		if (kept === 0) selection = undefined;
	});
	function choose(to: Cursor, extend: boolean) {
		selection = extend && selection ? { anchor: selection.anchor, head: to } : { anchor: to, head: to };
	}
	function key(event: KeyboardEvent) {
		if ((event.target as HTMLElement).closest('thead')) return;
		if ((event.ctrlKey || event.metaKey) && event.key === 'a') {
			event.preventDefault();
			selection = { anchor: { row: 0, column: 0 }, head: { row: shown - 1, column: places.length - 1 } };
			return;
		}
		const at = selection?.head ?? { row: -1, column: 0 };
		const page = Math.max(1, Math.floor((box?.clientHeight ?? 300) / height) - 2);
		const to = step(event, at, shown, places.length, page);
		if (!to || shown === 0) return;
		event.preventDefault();
		choose(to, event.shiftKey);
		$virtual.scrollToIndex(to.row);
		tick().then(() => box?.querySelector('[data-head-cell]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' }));
	}
	const raw = (row: Row | undefined, place: number) => {
		if (row && !Array.isArray(row)) return '';
		const v = row?.[place];
		return v === null || v === undefined ? '' : typeof v === 'boolean' ? (v ? 'yes' : 'no') : String(v);
	};
	/** The chosen cells as they are stored: for other programs, not for reading. */
	function copy(event: ClipboardEvent) {
		if (!selection || !event.clipboardData) return;
		const b = bounds(selection);
		const chosen = places.slice(b.left, b.right + 1);
		const lines: string[][] = [];
		if (b.left !== b.right || b.top !== b.bottom) lines.push(chosen.map((p) => columns[p]!.label));
		for (let r = b.top; r <= b.bottom; r++) if (Array.isArray(rows[r])) lines.push(chosen.map((p) => raw(rows[r], p)));
		event.clipboardData.setData('text/plain', tabSeparated(lines));
		event.preventDefault();
		said = `Copied ${countText(b.bottom - b.top + 1)} × ${chosen.length} cells.`;
	}
	const table = $props.id();
	const cellId = (row: number, at: number) => `${table}-${row}-${at}`;
	// A selection that the arrow keys made is at its head; the mouse may leave the box.
	const active = $derived(
		selection && items.some((item) => item.index === selection?.head.row)
			? cellId(selection.head.row, selection.head.column)
			: undefined,
	);
</script>

{#snippet leading(address: string, text: string)}{#if address}<a class="underline" href={address}>{text}</a
		>{:else}{text}{/if}{/snippet}
<svelte:window onpointerup={() => (choosing = false)} />
<div class="flex h-full min-h-0 flex-col gap-1">
	<div bind:this={box} class="panel relative min-h-40 grow overflow-auto" role="region" aria-label="Records of {title}">
		<table
			class="bg-sheet min-w-full table-fixed border-separate border-spacing-0 text-sm tabular-nums"
			style:width="{places.reduce((sum, p) => sum + width(p), 0)}px"
			role="grid"
			tabindex="0"
			aria-rowcount={kept + 1}
			aria-colcount={places.length}
			aria-multiselectable="true"
			aria-activedescendant={active}
			aria-label="{title}. Arrow keys choose cells, with Shift several; Ctrl+C copies them."
			onkeydown={key}
			oncopy={copy}
		>
			<colgroup>
				{#each places as place (columns[place]!.name)}<col style:width="{width(place)}px" />{/each}
			</colgroup>
			<thead>
				<tr aria-rowindex={1}>
					{#each places as place, at (columns[place]!.name)}
						{@const column = columns[place]!}
						<th
							scope="col"
							aria-sort={onsort ? direction(column) : undefined}
							aria-colindex={at + 1}
							ondragover={(e) => {
								if (dragged !== undefined) e.preventDefault();
							}}
							ondrop={() => {
								if (dragged !== undefined) move(dragged, at);
								dragged = undefined;
							}}
							class="column-head sticky top-0 z-10 overflow-hidden whitespace-nowrap has-[[data-panel]]:z-20 {isNumber(
								column,
							)
								? 'text-right'
								: 'text-left'}"
							>{#if heads || onsort}<span
									><button
										type="button"
										class="min-h-6 max-w-full min-w-6 truncate align-bottom font-semibold"
										draggable="true"
										data-head={column.name}
										title="{column.label}. Click to {heads
											? 'change it'
											: 'order'}; drag, or Alt with the arrows, to move."
										aria-expanded={heads && heads.opened === column.name}
										onclick={() => (heads ? heads.toggle(column.name) : turn(column))}
										onkeydown={(e) => headKey(e, at)}
										ondragstart={() => (dragged = at)}
										>{column.label}<span aria-hidden="true" class={heads ? 'text-ink-3' : 'text-act'}
											>{heads ? ' ▾' : { none: '', ascending: ' ↑', descending: ' ↓' }[direction(column)]}</span
										></button
									>{@render heads?.panel(column)}</span
								>{:else}{column.label}{/if}<button
								type="button"
								role="slider"
								aria-label="Width of {column.label}"
								aria-orientation="horizontal"
								aria-valuemin={40}
								aria-valuemax={1200}
								aria-valuenow={Math.round(width(place))}
								class="border-line-strong absolute inset-y-1 right-0 w-1.5 cursor-col-resize touch-none border-r"
								onpointerdown={(e) => pull(e, place)}
								onkeydown={(e) => {
									const by = { ArrowLeft: -16, ArrowRight: 16 }[e.key];
									if (by && !e.altKey) {
										e.preventDefault();
										resize(place, width(place) + by);
									}
								}}
							></button></th
						>
					{/each}
				</tr>
			</thead>
			<tbody>
				{#if before > 0}<tr aria-hidden="true"><td colspan={places.length} style:height="{before}px"></td></tr>{/if}
				{#each items as item, i (i)}
					{@const row = rows[item.index]}
					<tr aria-rowindex={item.index + 2} style:height="{height}px">
						{#if row && 'head' in row}
							<td
								role="gridcell"
								colspan={places.length}
								data-head-of={row.head.level}
								class="bg-wash border-line-strong truncate border-t border-b px-3 font-semibold"
								style:padding-left="{row.head.level + 0.75}rem"
								>{@render leading(groupAddress(item.index, row.head), openingText(row.head, columns, locale))}</td
							>
						{:else if row && !Array.isArray(row)}
							{#each closingCells(row.group, shownColumns, locale) as cell, c (c)}<td
									role="gridcell"
									colspan={cell.span}
									data-group={c === 0 ? row.group.level : undefined}
									class="bg-wash border-line text-ink-2 truncate border-b px-3 text-[13px] font-semibold {cell.number
										? 'text-right'
										: ''}"
									style:padding-left={c === 0 ? `${row.group.level + 0.75}rem` : undefined}
									>{@render leading(c === 0 ? groupAddress(item.index, row.group) : '', cell.text)}</td
								>{/each}
						{:else}
							{#each places as place, at (place)}
								{@const column = columns[place]!}
								{@const value = row?.[place]}
								{@const repeated = isRepeated(item.index, column)}
								{@const chosen = holds(selection, item.index, at)}
								{@const emphasis = emphasisOf(row, column.name)}
								{@const mark = marks[emphasis] ?? ''}
								<td
									role="gridcell"
									id={cellId(item.index, at)}
									aria-selected={chosen}
									data-head-cell={active === cellId(item.index, at) ? '' : undefined}
									class="border-line scroll-mt-9 truncate border-b px-3 {isNumber(column) ? 'text-right' : ''} {chosen
										? 'chosen'
										: ''} {emphasis && 'as-' + emphasis}"
									onpointerdown={(e) => {
										if (e.button !== 0) return;
										choosing = e.pointerType === 'mouse';
										choose({ row: item.index, column: at }, e.shiftKey);
									}}
									onpointerenter={() => {
										if (choosing) choose({ row: item.index, column: at }, true);
									}}
									>{#if repeated}<span class="sr-only">{cellText(value, column, locale)}</span
										>{:else if (value === null || value === undefined) && !column.words?.blank}<span class="blank"
											><span class="sr-only">blank</span></span
										>{:else if Array.isArray(row) && leads(column)}<a
											class="underline"
											href={cellAddress(leads(column)!, row, columns)}>{mark}{cellText(value, column, locale)}</a
										>{:else if isStamp(column)}{@const change = changeAt(item.index, place)}<time
											datetime={String(value)}>{mark}{cellText(value, column, locale)}</time
										>{#if change}<small class="text-ink-3 text-xs">&ensp;{change}</small>{/if}{:else}{mark}{cellText(
											value,
											column,
											locale,
										)}{/if}</td
								>
							{/each}
						{/if}
					</tr>
				{/each}
				{#if after > 0}<tr aria-hidden="true"><td colspan={places.length} style:height="{after}px"></td></tr>{/if}
			</tbody>
		</table>
	</div>
	<div class="flex min-h-5 flex-wrap justify-between gap-x-4 text-xs">
		<span class="muted" aria-live="polite">{said}</span>
		{#if own}<button type="button" class="underline" onclick={() => keep({ order: [], widths: {} })}
				>Columns as the report has them</button
			>{/if}
	</div>
</div>

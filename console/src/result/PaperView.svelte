<script lang="ts">
	// The report as it prints: the same pages on the screen and on paper.
	import type { Column, Header, Summary } from '../lib/api';
	import { closingCells } from './closing';
	import { lineHeight, margin, mostPrinted, pagesOf, stripsOf } from './paper';
	import type { Row } from './run.svelte';
	import {
		cellText,
		countText,
		instantText,
		isNumber,
		momentText,
		recordsText,
		totalsText,
		type Cell,
	} from '../lib/text';

	let { header, summary, rows }: { header: Header; summary: Summary; rows: Row[] } = $props();

	const shown = (value: Cell | undefined, column: Column) => cellText(value, column, header);
	const paper = $derived(header.page);
	const columns = $derived(header.columns ?? []);
	const printed = $derived(rows.slice(0, mostPrinted));
	const { strips, scale } = $derived(
		stripsOf(
			columns,
			(column, at) =>
				printed.reduce(
					(most, row) => (Array.isArray(row) ? Math.max(most, shown(row[at], column).length) : most),
					column.label.length,
				),
			paper,
		),
	);
	// A sheet is a page's rows in one strip of the columns.
	const sheets = $derived(
		pagesOf(printed, paper).flatMap((rows) => strips.map((strip, part) => ({ rows, strip, part }))),
	);

	// The printer takes the size of the paper from a style sheet.
	$effect(() => {
		const sheet = new CSSStyleSheet();
		sheet.replaceSync(`@page { size: ${paper.width}mm ${paper.height}mm; margin: 0 }`);
		document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];
		return () => (document.adoptedStyleSheets = document.adoptedStyleSheets.filter((s) => s !== sheet));
	});
	// On the screen a page is as wide as there is room.
	let room = $state(0);
	const zoom = $derived(room > 0 ? Math.min(1, (room - 32) / ((paper.width * 96) / 25.4)) : 1);
	const printedAt = instantText(new Date().toISOString());
</script>

<div class="flex h-full min-h-0 flex-col gap-2">
	<p class="flex flex-wrap items-center gap-3 text-sm">
		<button type="button" class="button" onclick={() => window.print()}>Print</button>
		<span
			>{countText(sheets.length)}
			{sheets.length === 1 ? 'page' : 'pages'}, {paper.width} × {paper.height} mm.
			{#if summary.count > mostPrinted}The first {recordsText(mostPrinted)} are laid out; a file has all of them.{/if}</span
		>
	</p>
	<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
	<div class="bg-wash min-h-0 grow overflow-auto p-4" tabindex="0" role="region" aria-label="Pages of {header.title}">
		<div data-paper style:zoom>
			{#each sheets as sheet, number (number)}
				<article
					class="paper"
					style:width="{paper.width}mm"
					style:height="{paper.height}mm"
					style:padding="{margin}mm"
					aria-label="Page {number + 1} of {sheets.length}"
				>
					{#if number === 0}
						<header style:height="26mm">
							<h2>{header.title}</h2>
							<p>{header.readback}</p>
							<p>
								{recordsText(summary.count)}{#if summary.first}, first {momentText(summary.first, header)}, last {momentText(
										summary.last,
										header,
									)}{/if}. {summary.totals?.length ? totalsText(summary.totals, summary.count, header) : ''}
							</p>
						</header>
					{/if}
					<table style:font-size="{scale}em">
						<colgroup>
							{#each sheet.strip as { at, share } (at)}<col style:width="{share * 100}%" />{/each}
						</colgroup>
						<thead>
							<tr>
								{#each sheet.strip as { at, column } (at)}<th class:number={isNumber(column)}>{column.label}</th>{/each}
							</tr>
						</thead>
						<tbody>
							{#each sheet.rows as row, i (i)}
								<tr style:height="{lineHeight}mm">
									{#if Array.isArray(row)}
										{#each sheet.strip as { at, column } (at)}<td class:number={isNumber(column)}
												>{shown(row[at], column)}</td
											>{/each}
									{:else}
										{#each closingCells( row.group, sheet.strip.map((c) => c.column), header ) as cell, c (c)}<td
												class="closing"
												class:number={cell.number}
												colspan={cell.span}>{cell.text}</td
											>{/each}
									{/if}
								</tr>
							{/each}
						</tbody>
					</table>
					<footer style:inset="auto {margin}mm {margin / 2}mm {margin}mm">
						<span>{header.page.footer ?? ''}</span>
						<span>Run {header.run} · {header.zone} · {printedAt}</span>
						<span
							>{#if strips.length > 1}Columns, part {sheet.part + 1} of {strips.length} ·
							{/if}{number + 1} / {sheets.length}</span
						>
					</footer>
				</article>
			{/each}
		</div>
	</div>
</div>

<style>
	.paper {
		position: relative;
		box-sizing: border-box;
		margin: 0 auto 1rem;
		overflow: hidden;
		background: white;
		color: black;
		font-size: 8.5pt;
		line-height: 1.25;
		font-variant-numeric: tabular-nums;
	}
	header {
		overflow: hidden;
	}
	h2 {
		font-size: 14pt;
		font-weight: 600;
	}
	table {
		width: 100%;
		table-layout: fixed;
		border-collapse: collapse;
	}
	th,
	td {
		overflow: hidden;
		padding: 0 1mm;
		text-align: left;
		text-overflow: ellipsis;
		white-space: nowrap;
	}
	th {
		height: 7mm;
		border-bottom: 0.4mm solid black;
		font-weight: 600;
	}
	td {
		border-bottom: 0.1mm solid #bbb;
	}
	.number {
		text-align: right;
	}
	.closing {
		font-weight: 600;
		border-bottom: 0.3mm solid black;
	}
	footer {
		position: absolute;
		display: flex;
		justify-content: space-between;
		gap: 4mm;
		font-size: 7.5pt;
	}
	@media print {
		.paper {
			margin: 0;
			break-after: page;
		}
	}
</style>

<script lang="ts">
	// The report as it prints: the same pages on the screen and on paper.
	import type { Header, Summary } from './api';
	import { lineHeight, margin, mostPrinted, pagesOf } from './paper';
	import type { Row } from './run.svelte';
	import { cellText, countText, instantText, isNumber, recordsText, stampText, totalsText } from './text';

	let { header, summary, rows }: { header: Header; summary: Summary; rows: Row[] } = $props();

	const paper = $derived(header.page);
	const pages = $derived(pagesOf(rows.slice(0, mostPrinted), paper));
	const columns = $derived(header.columns ?? []);
	// Columns share the width by what the first records need.
	const shares = $derived(
		columns.map((c, i) => {
			let most = c.label.length;
			for (const row of rows.slice(0, 200)) if (Array.isArray(row)) most = Math.max(most, cellText(row[i], c).length);
			return Math.min(most, 60) + 2;
		}),
	);
	const whole = $derived(shares.reduce((sum, n) => sum + n, 0));

	// The size of the paper is told to the printer by a style sheet of its own.
	$effect(() => {
		const sheet = new CSSStyleSheet();
		sheet.replaceSync(`@page { size: ${paper.width}mm ${paper.height}mm; margin: 0 }`);
		document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];
		return () => (document.adoptedStyleSheets = document.adoptedStyleSheets.filter((s) => s !== sheet));
	});
	const printed = instantText(new Date().toISOString());
</script>

<div class="flex h-full min-h-0 flex-col gap-2">
	<p class="flex flex-wrap items-center gap-3 text-sm">
		<button type="button" class="btn btn-sm preset-filled-primary-700-300" onclick={() => window.print()}>Print</button>
		<span
			>{countText(pages.length)}
			{pages.length === 1 ? 'page' : 'pages'}, {paper.width} × {paper.height} mm.
			{#if summary.count > mostPrinted}The first {recordsText(mostPrinted)} are laid out; a file has all of them.{/if}</span
		>
	</p>
	<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
	<div
		class="bg-surface-200-800 min-h-0 grow overflow-auto p-4"
		tabindex="0"
		role="region"
		aria-label="Pages of {header.title}"
	>
		<div data-paper>
			{#each pages as page, number (number)}
				<article
					class="paper"
					style:width="{paper.width}mm"
					style:height="{paper.height}mm"
					style:padding="{margin}mm"
					aria-label="Page {number + 1} of {pages.length}"
				>
					{#if number === 0}
						<header style:height="26mm">
							<h2>{header.title}</h2>
							<p>{header.readback}</p>
							<p>
								{recordsText(summary.count)}{#if summary.first}, first {stampText(summary.first)}, last {stampText(
										summary.last,
									)}{/if}. {summary.totals?.length ? totalsText(summary.totals, summary.count) : ''}
							</p>
						</header>
					{/if}
					<table>
						<colgroup>
							{#each shares as share, i (i)}<col style:width="{(share / whole) * 100}%" />{/each}
						</colgroup>
						<thead>
							<tr>
								{#each columns as column (column.name)}<th class:number={isNumber(column)}>{column.label}</th>{/each}
							</tr>
						</thead>
						<tbody>
							{#each page as row, i (i)}
								<tr style:height="{lineHeight}mm">
									{#if Array.isArray(row)}
										{#each columns as column, c (column.name)}<td class:number={isNumber(column)}
												>{cellText(row[c], column)}</td
											>{/each}
									{:else}
										<td class="closing" colspan={columns.length}
											>{row.group.label}
											{row.group.value ?? 'blank'}: {totalsText(row.group.totals ?? [], row.group.count)}</td
										>
									{/if}
								</tr>
							{/each}
						</tbody>
					</table>
					<footer style:inset="auto {margin}mm {margin / 2}mm {margin}mm">
						<span>{header.page.footer ?? ''}</span>
						<span>Run {header.run} · {header.zone} · {printed}</span>
						<span>{number + 1} / {pages.length}</span>
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

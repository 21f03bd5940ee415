<script lang="ts">
	// The chart of a result, as the service draws it everywhere, and the same as a table.
	import { drawChart, type Chart } from '../lib/api';
	import { cellText, countText, recordsText, type Cell, type Place } from '../lib/text';
	import { pictureOf } from './picture';

	let { chart, place }: { chart: Chart; place: Place } = $props();

	let element = $state<HTMLDivElement>();
	let [width, height] = $state([0, 0]);
	let failure = $state('');
	let drawn = $state(false);
	/** So many pixels are a millimetre. */
	const pixels = 96 / 25.4;
	$effect(() => {
		const [into, what, wide, high] = [element, chart, Math.round(width / 20) * 20, Math.round(height / 20) * 20];
		if (!into || !wide || !high) return;
		const abort = new AbortController();
		const timer = setTimeout(
			() =>
				drawChart(what, place.language, Math.max(40, wide / pixels), Math.max(30, high / pixels), abort.signal).then(
					(text) => {
						into.replaceChildren(pictureOf(text));
						drawn = true;
						failure = '';
					},
					(e) => abort.signal.aborted || (failure = 'The chart could not be drawn: ' + (e.message ?? e)),
				),
			drawn ? 150 : 0, // while the window is resized
		);
		return () => {
			clearTimeout(timer);
			abort.abort();
		};
	});
	const points = $derived(chart.points ?? []);
	const more = $derived(chart.more ?? []);
	const label = (v: unknown, type = 'text') =>
		v === null || v === undefined ? 'blank' : cellText(v as Cell, { type }, place);
	const number = (v: unknown, format?: string) =>
		v === null || v === undefined ? 'blank' : cellText(v as Cell, { type: 'decimal', format }, place);
	const words = $derived(
		[chart.y, ...more.map((m) => m.label)].join(', ') +
			` by ${chart.x.toLowerCase()}` +
			(chart.split ? `, split by ${chart.split.toLowerCase()}` : '') +
			(chart.panels ? `, for each ${chart.panels.toLowerCase()}` : ''),
	);
</script>

<figure class="flex h-full min-h-80 flex-col gap-2">
	<figcaption class="text-sm">
		{words}: {countText(points.length)} points.
		{#if chart.left_out}{recordsText(chart.left_out)} are not drawn: there would be too many points.{/if}
	</figcaption>
	{#if failure}<p role="alert" class="text-bad">{failure}</p>{/if}
	<div
		bind:this={element}
		bind:clientWidth={width}
		bind:clientHeight={height}
		class="panel chart min-h-72 w-full grow overflow-hidden"
		data-drawn={drawn}
	></div>
	<details class="text-sm">
		<summary>The same as a table</summary>
		<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
		<div class="max-h-60 overflow-auto" tabindex="0" role="region" aria-label="Values of the chart">
			<table class="tabular-nums">
				<thead class="muted text-left">
					<tr>
						{#if chart.panels}<th class="pr-4 font-normal">{chart.panels}</th>{/if}
						<th class="pr-4 font-normal">{chart.x}</th>
						{#if chart.split}<th class="pr-4 font-normal">{chart.split}</th>{/if}
						<th class="text-right font-normal">{chart.y}</th>
						{#each more as m, k (k)}<th class="pl-4 text-right font-normal">{m.label}</th>{/each}
					</tr>
				</thead>
				<tbody>
					{#each points as point, i (i)}
						<tr>
							{#if chart.panels}<td class="pr-4">{label(point.panel)}</td>{/if}
							<td class="pr-4">{label(point.x, chart.type)}</td>
							{#if chart.split}<td class="pr-4">{label(point.split)}</td>{/if}
							<td class="text-right">{number(point.y, chart.format)}</td>
							{#each more as m, k (k)}<td class="pl-4 text-right">{number(point.more?.[k], m.format)}</td>{/each}
						</tr>
					{/each}
				</tbody>
			</table>
		</div>
	</details>
</figure>

<style>
	/* What is black on paper has the colour of the page's letters. */
	.chart :global(svg) {
		display: block;
		width: 100%;
		height: 100%;
	}
	.chart :global(text:not([fill])) {
		fill: var(--ink);
	}
	.chart :global([stroke='#000000']) {
		stroke: var(--ink);
	}
	.chart :global([stroke='#dddddd']) {
		stroke: var(--line);
	}
</style>

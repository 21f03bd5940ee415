<script lang="ts">
	// A chart of the report's definition, and the same as a table.
	import type { Chart } from '../lib/api';
	import { theme } from '../lib/theme.svelte';
	import { cellText, countText, recordsText, type Cell } from '../lib/text';

	let { chart }: { chart: Chart } = $props();

	let element = $state<HTMLDivElement>();
	let failure = $state('');
	let drawn = $state(false);
	$effect(() => {
		const [into, what, dark] = [element, chart, theme.mode === 'dark'];
		if (!into) return;
		let clear: (() => void) | undefined;
		let gone = false;
		drawn = false;
		import('./drawing').then(
			({ draw }) => {
				if (gone) return;
				clear = draw(into, what, dark);
				drawn = true;
			},
			(e) => (failure = 'The chart could not be loaded: ' + e),
		);
		return () => {
			gone = true;
			clear?.();
		};
	});
	const points = $derived(chart.points ?? []);
	const shown = (v: unknown, format?: string) =>
		v === null || v === undefined
			? 'blank'
			: cellText(v as Cell, { type: typeof v === 'number' ? 'decimal' : 'text', format });
</script>

<figure class="flex h-full min-h-80 flex-col gap-2">
	<figcaption class="text-sm">
		{chart.y} by {chart.x.toLowerCase()}{chart.split ? `, split by ${chart.split.toLowerCase()}` : ''}: {countText(
			points.length,
		)} points.
		{#if chart.left_out}{recordsText(chart.left_out)} are not drawn: there would be too many points.{/if}
	</figcaption>
	{#if failure}<p role="alert" class="text-bad">{failure}</p>{/if}
	<div
		bind:this={element}
		role="img"
		aria-label="{chart.y} by {chart.x}; the table beneath has the same values"
		class="panel min-h-72 w-full grow"
		data-drawn={drawn}
	></div>
	<details class="text-sm">
		<summary>The same as a table</summary>
		<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
		<div class="max-h-60 overflow-auto" tabindex="0" role="region" aria-label="Values of the chart">
			<table class="tabular-nums">
				<thead class="muted text-left">
					<tr>
						<th class="pr-4 font-normal">{chart.x}</th>
						{#if chart.split}<th class="pr-4 font-normal">{chart.split}</th>{/if}
						<th class="text-right font-normal">{chart.y}</th>
					</tr>
				</thead>
				<tbody>
					{#each points as point, i (i)}
						<tr>
							<td class="pr-4">{shown(point.x)}</td>
							{#if chart.split}<td class="pr-4">{shown(point.split)}</td>{/if}
							<td class="text-right">{shown(point.y, chart.format)}</td>
						</tr>
					{/each}
				</tbody>
			</table>
		</div>
	</details>
</figure>

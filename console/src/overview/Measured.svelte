<script lang="ts">
	// A number of an overview, and by how much it differs from that of another period.
	import type { Figure } from '../lib/api';
	import { countText, valueText } from '../lib/text';

	let { figure }: { figure: Figure } = $props();

	const total = $derived(figure.total);
	const change = $derived(typeof figure.change === 'number' ? figure.change : undefined);
	const way = $derived(!change ? 'as much' : change > 0 ? 'more' : 'less');
	const amount = $derived(change === undefined ? '' : valueText({ ...total, value: Math.abs(change) }, figure));
	const percent = $derived(typeof figure.percent === 'number' ? `${countText(Math.abs(figure.percent))} %` : '');
	const against = $derived(figure.with === 'year-before' ? 'a year before' : 'before');
</script>

<div data-number>
	<p class="text-[32px] leading-tight font-semibold tabular-nums" data-value={String(total.value ?? '')}>
		{valueText(total, figure)}
	</p>
	{#if figure.before}
		<p class="text-sm" data-change={change === undefined ? '' : String(change)}>
			{#if way === 'as much' && change !== undefined}<b class="font-semibold">As much as {against}</b>
			{:else if change !== undefined}<span aria-hidden="true">{way === 'more' ? '▲' : '▼'}</span>
				<b class="font-semibold">{amount} {way}</b>
				{#if percent}<span class="text-ink-2">({percent})</span>{/if} than {against}{/if}
		</p>
		<p class="text-ink-3 text-[13px]">{valueText(figure.before, figure)}: {figure.period}</p>
	{:else if figure.uncompared}
		<p class="text-ink-3 text-[13px]">Not compared with {figure.period}: {figure.uncompared}</p>
	{:else if figure.with}
		<p class="text-ink-3 text-[13px]">Not compared: the period is open.</p>
	{/if}
	{#if figure.restricted}<p class="text-ink-2 text-[13px]" data-restricted>{figure.restricted}</p>{/if}
</div>

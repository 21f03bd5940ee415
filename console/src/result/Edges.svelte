<script lang="ts">
	// What lies around the period of a run: the nearest records outside, and how
	// many are of its first and its last day.
	import type { Edges } from '../lib/api';
	import { recordsText, stampText } from '../lib/text';

	let { edges }: { edges: Edges } = $props();

	const dayText = (day?: { day: string; count: number }) =>
		day ? `${stampText(day.day)}: ${recordsText(day.count)}` : '';
	const parts = $derived([
		{ name: 'Nearest before', text: edges.no_before ? 'none' : stampText(edges.before) },
		{ name: 'First day', text: dayText(edges.first_day) },
		{ name: 'Last day', text: dayText(edges.last_day) },
		{ name: 'Nearest after', text: edges.no_after ? 'none' : stampText(edges.after) },
	]);
</script>

<dl class="flex flex-wrap gap-x-6 gap-y-1 text-sm" data-edges>
	{#each parts.filter((p) => p.text) as part (part.name)}
		<div class="flex gap-2">
			<dt class="muted">{part.name}</dt>
			<dd class="tabular-nums">{part.text}</dd>
		</div>
	{/each}
</dl>

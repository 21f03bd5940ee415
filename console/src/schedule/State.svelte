<script lang="ts">
	// The state of an occurrence or a delivery: its word, and a mark beside it.
	import { stateText, toneOf } from './words';

	let { state }: { state: string } = $props();
	const tone = $derived(toneOf(state));
	const marks: Record<string, string> = { bad: '✕', warn: '↻', good: '✓' };
</script>

<span
	data-state={state}
	class="inline-flex items-baseline gap-1 text-[13px] font-semibold whitespace-nowrap {tone === 'bad'
		? 'text-bad'
		: tone === 'warn'
			? 'text-warn'
			: 'text-ink-2'}"><span aria-hidden="true">{marks[tone] ?? '·'}</span>{stateText(state)}</span
>

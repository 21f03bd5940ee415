<script lang="ts">
	// A part of the sentence that opens its panel beside it, or what adds one.
	import type { Snippet } from 'svelte';
	import type { HTMLButtonAttributes } from 'svelte/elements';
	import type { Pointing } from './Condition.svelte';
	import Panel from './Panel.svelte';

	let {
		id,
		pointing,
		text,
		label,
		onback,
		panel,
		...button
	}: {
		/** What is opened, among all that can be. */
		id: string;
		pointing: Pointing;
		text: string;
		/** The name of the panel. */
		label: string;
		onback: () => void;
		panel: Snippet<[close: () => void]>;
		[data: `data-${string}`]: string | boolean;
	} & HTMLButtonAttributes = $props();

	const opened = $derived(pointing.opened === id);
	const close = () => (pointing.opened = '');
</script>

<span class="relative"
	><button type="button" aria-expanded={opened} onclick={() => (pointing.opened = opened ? '' : id)} {...button}
		>{text}</button
	>{#if opened}<Panel {label} onclose={close} {onback}>{@render panel(close)}</Panel>{/if}</span
>

<script lang="ts">
	// What stands where something is still on its way, or did not come: a still
	// outline of it with a word after a moment, or why, with a way to try again.
	import type { Loaded } from '../lib/loaded.svelte';

	let { of, lines = 0 }: { of: Loaded<unknown>; /** How many lines of an outline. */ lines?: number } = $props();
</script>

{#if of.failure}
	<div role="alert" class="wash-bad flex flex-wrap items-center justify-between gap-3">
		<span>{of.failure}</span>
		<button type="button" class="button" onclick={of.again}>Try again</button>
	</div>
{:else if of.value === undefined}
	<div class="late space-y-3" aria-busy="true">
		<p class="muted">Loading …</p>
		{#each { length: lines }, i (i)}<div
				class="bg-wash rounded-base h-7"
				style:width="{92 - ((i * 17) % 40)}%"
			></div>{/each}
	</div>
{/if}

<style>
	/* What comes at once does not flicker. */
	.late {
		animation: appear 0s 0.5s both;
	}
	@keyframes appear {
		from {
			visibility: hidden;
		}
		to {
			visibility: visible;
		}
	}
</style>

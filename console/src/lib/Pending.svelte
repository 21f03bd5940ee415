<script lang="ts">
	// What stands where something is still on its way, or did not come.
	import type { Loaded } from './loaded.svelte';

	let { of }: { of: Loaded<unknown> } = $props();
</script>

{#if of.failure}
	<p role="alert" class="text-error-700-300">{of.failure}</p>
{:else if of.value === undefined}
	<p class="muted late">Reading …</p>
{/if}

<style>
	/* What comes at once does not flicker. */
	.late {
		animation: appear 0s 0.4s both;
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

<script lang="ts">
	// What stands where there is nothing: why, and a way on.
	import type { Snippet } from 'svelte';

	let { children }: { children: Snippet } = $props();
</script>

<div
	class="border-line-strong text-ink-2 rounded-container grid min-h-24 place-items-center border border-dashed p-6 text-center"
>
	<div class="max-w-xl space-y-2">{@render children()}</div>
</div>

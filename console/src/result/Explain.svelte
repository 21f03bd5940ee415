<script lang="ts">
	// How a run comes about, in a drawer.
	import type { Snippet } from 'svelte';

	let { onclose, children }: { onclose: () => void; children: Snippet } = $props();

	let dialog: HTMLDialogElement;
	$effect(() => dialog.showModal());
</script>

<dialog
	bind:this={dialog}
	{onclose}
	aria-labelledby="explain-title"
	class="bg-surface-50-950 text-surface-950-50 mr-0 ml-auto h-dvh max-h-dvh w-full max-w-2xl overflow-y-auto p-5 shadow-xl"
>
	<div class="mb-4 flex items-center justify-between">
		<h2 id="explain-title" class="text-lg font-semibold">How this comes about</h2>
		<button type="button" class="btn btn-sm preset-tonal" onclick={() => dialog.close()}>Close</button>
	</div>
	{@render children()}
</dialog>

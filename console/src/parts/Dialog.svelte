<script lang="ts">
	// A dialog over the page, or a drawer at its side.
	import type { Snippet } from 'svelte';

	let {
		title,
		side = false,
		width = '42rem',
		onclose,
		children,
		foot,
	}: {
		title: string;
		side?: boolean;
		width?: string;
		onclose: () => void;
		children: Snippet;
		/** What stands at its foot instead of nothing; it is given how to close. */
		foot?: Snippet<[close: () => void]>;
	} = $props();

	const id = $props.id();
	let dialog: HTMLDialogElement;
	$effect(() => dialog.showModal());
</script>

<dialog
	bind:this={dialog}
	{onclose}
	onclick={(e) => e.target === dialog && dialog.close()}
	aria-labelledby="{id}-title"
	style:max-width={width}
	class="bg-sheet text-ink border-line w-full overflow-y-auto border p-0 shadow-xl backdrop:bg-black/40 {side
		? 'mr-0 ml-auto h-dvh max-h-dvh'
		: 'rounded-container m-auto max-h-[92dvh]'}"
>
	<div class="space-y-3 p-5">
		<div class="flex items-start justify-between gap-3">
			<h2 id="{id}-title" class="text-[19px] font-semibold">{title}</h2>
			{#if !foot}<button type="button" class="button-quiet" onclick={() => dialog.close()}>Close</button>{/if}
		</div>
		{@render children()}
		{#if foot}<div class="flex flex-wrap items-center justify-end gap-2">{@render foot(() => dialog.close())}</div>{/if}
	</div>
</dialog>

<script lang="ts">
	// The head of a page: its title once, what it is about, and what can be done.
	import type { Snippet } from 'svelte';

	let { title, about = '', children }: { title: string; about?: string; children?: Snippet } = $props();
</script>

<div class="flex flex-wrap items-baseline gap-x-3.5 gap-y-1 lg:flex-nowrap">
	<h1 class="wrap-anywhere lg:max-w-[60%] lg:shrink-0">{title}</h1>
	{#if about}<p class="muted min-w-0 text-sm wrap-anywhere">{about}</p>{/if}
	{#if children}<div class="ml-auto flex flex-wrap items-center gap-2 lg:shrink-0 lg:flex-nowrap">
			{@render children()}
		</div>{/if}
</div>

<script lang="ts">
	// An answer that opens its fields: what was asked, and how it was read.
	let {
		name,
		label,
		value,
		note = '',
		any = false,
		open = false,
		wrong = false,
		onclick,
	}: {
		name: string;
		label: string;
		value: string;
		note?: string;
		/** Whether nothing was answered. */
		any?: boolean;
		open?: boolean;
		wrong?: boolean;
		onclick: () => void;
	} = $props();
</script>

<button
	type="button"
	data-slot={name}
	aria-expanded={open}
	aria-label="{label}: {value}{note ? ', ' + note : ''}"
	class="rounded-base bg-sheet inline-flex min-h-8 max-w-full items-center gap-2 border px-2.5 text-left {wrong
		? 'border-bad'
		: open
			? 'border-act ring-act-wash ring-3'
			: 'border-line-strong hover:border-edge'}"
	{onclick}
>
	<span class="truncate {any ? 'text-ink-2' : 'font-semibold'}">{value}</span>
	{#if note}<small class="text-ink-3 text-xs whitespace-nowrap">{note}</small>{/if}
	<svg viewBox="0 0 10 6" class="text-ink-3 h-1.5 w-2.5 shrink-0 {open ? 'rotate-180' : ''}" aria-hidden="true"
		><path d="M1 1l4 4 4-4" fill="none" stroke="currentColor" stroke-width="1.5" /></svg
	>
</button>

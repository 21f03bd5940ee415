<script lang="ts">
	// What the keyboard does.
	import Dialog from '../parts/Dialog.svelte';

	let { onclose }: { onclose: () => void } = $props();

	const groups = [
		{
			name: 'Everywhere',
			keys: [
				['Ctrl K', 'Find a report, a run, a draft or a table'],
				['?', 'This help'],
				['Esc', 'Close what is open'],
			],
		},
		{
			name: 'Questions',
			keys: [
				['Enter', 'Run the report'],
				['Alt ↓', 'Open the calendar of a date'],
				['← →', 'Move an end of the period on the strip of months'],
			],
		},
		{
			name: 'Records',
			keys: [
				['Arrows', 'Choose a cell; with Shift, several'],
				['Ctrl A', 'Choose all cells'],
				['Ctrl C', 'Copy the cells chosen, for a spreadsheet'],
				['Enter on a heading', 'Sort by it: up, down, then as the report does'],
				['Alt ← →', 'Move the column whose heading has the focus'],
			],
		},
	];
</script>

<Dialog title="Keyboard" width="34rem" {onclose}>
	{#each groups as group (group.name)}
		<section>
			<h3 class="text-ink-2 mb-1 text-[13px] font-semibold">{group.name}</h3>
			<dl class="grid grid-cols-[10rem_1fr] gap-x-4 gap-y-1.5">
				{#each group.keys as [key, does] (key)}
					<dt><kbd class="border-line-strong bg-wash rounded-base border px-1.5 font-mono text-xs">{key}</kbd></dt>
					<dd class="text-sm">{does}</dd>
				{/each}
			</dl>
		</section>
	{/each}
</Dialog>

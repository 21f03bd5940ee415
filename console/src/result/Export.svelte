<script lang="ts">
	// The whole result as a file, and its link.
	import type { Inputs, Target } from '../lib/api';
	import Dialog from '../parts/Dialog.svelte';

	let {
		target,
		inputs,
		sort,
		charted,
		disabled,
	}: {
		target: Target;
		inputs: Inputs;
		sort: string[];
		/** Whether there is a chart to be taken by itself. */
		charted: boolean;
		/** Until there is a whole result; its buttons keep their places meanwhile. */
		disabled: boolean;
	} = $props();

	let open = $state(false);
	let failure = $state('');
	let copied = $state(false);
	let box: HTMLDivElement;

	async function copyLink() {
		try {
			await navigator.clipboard.writeText(location.href);
			copied = true;
			setTimeout(() => (copied = false), 2000);
		} catch {
			failure = 'The link could not be copied; it is the address of this page.';
		}
	}
	/** An address that a spreadsheet reads the records from, with these answers each time. */
	let linked = $state('');
	function key(event: KeyboardEvent) {
		if (event.key !== 'Escape' || !open) return;
		open = false;
		box.querySelector('button')?.focus();
	}
</script>

<svelte:document onpointerdown={(e) => !box?.contains(e.target as Node) && (open = false)} />
<!-- svelte-ignore a11y_no_static_element_interactions -->
<div class="relative flex gap-2" bind:this={box} onkeydown={key}>
	<button type="button" class="button" onclick={copyLink}>{copied ? 'Copied' : 'Copy link'}</button>
	<button type="button" class="button" {disabled} aria-expanded={open} onclick={() => (open = !open)}>Export</button>
	{#if open && !disabled}
		<div class="panel absolute top-full right-0 z-20 mt-1 w-80 p-1.5 shadow-lg">
			{#await import('./ExportPanel.svelte') then { default: Panel }}
				<Panel
					{target}
					{inputs}
					{sort}
					{charted}
					ondone={() => (open = false)}
					onlink={(address) => {
						linked = address;
						open = false;
					}}
				/>
			{/await}
		</div>
	{:else if failure}<p role="alert" class="text-bad absolute top-full right-0 z-20 mt-1 text-[13px]">{failure}</p>{/if}
</div>
{#if linked}
	<Dialog title="A link that a spreadsheet reads" width="38rem" onclose={() => (linked = '')}>
		<p class="text-sm">
			Whoever has this address reads these records as you see them, with the answers read anew each time; nothing else
			can be done with it. It is shown this once, works for a year, and is ended on
			<a href="#/account">your account's page</a>. For JSON it ends in <code>records.json</code>.
		</p>
		<p class="bg-wash rounded-base p-3 font-mono text-[13px] wrap-anywhere" data-address>{linked}</p>
	</Dialog>
{/if}

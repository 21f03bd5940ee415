<script lang="ts">
	// The whole result as a file, and its link.
	import { Refusal, takeFile, type FileFormat, type Inputs, type Target } from '../lib/api';

	let { target, inputs, sort }: { target: Target; inputs: Inputs; sort: string[] } = $props();

	const formats: { name: FileFormat; about: string }[] = [
		{ name: 'csv', about: 'for spreadsheets and programs' },
		{ name: 'xlsx', about: 'a workbook' },
		{ name: 'json', about: 'with the header and totals' },
		{ name: 'pdf', about: 'pages as they print' },
	];
	let open = $state(false);
	let saving = $state('');
	let failure = $state('');
	let copied = $state(false);
	let box: HTMLDivElement;

	/** Saves the whole result of the run's answers as a file. */
	async function save(format: FileFormat) {
		saving = format;
		failure = '';
		try {
			const address = URL.createObjectURL(await takeFile(target, inputs, sort, format));
			const anchor = document.createElement('a');
			anchor.href = address;
			anchor.download = `${target.report}.${format}`;
			anchor.click();
			setTimeout(() => URL.revokeObjectURL(address), 60_000);
			open = false;
		} catch (error) {
			failure = error instanceof Refusal ? error.message : 'The file is incomplete: ' + error;
		}
		saving = '';
	}
	async function copyLink() {
		try {
			await navigator.clipboard.writeText(location.href);
			copied = true;
			setTimeout(() => (copied = false), 2000);
		} catch {
			failure = 'The link could not be copied; it is the address of this page.';
		}
	}
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
	<button type="button" class="button" aria-expanded={open} onclick={() => (open = !open)}>Export</button>
	{#if open}
		<div class="panel absolute top-full right-0 z-20 mt-1 w-72 p-1.5 shadow-lg">
			{#each formats as format (format.name)}
				<button
					type="button"
					class="rounded-base hover:bg-wash flex min-h-9 w-full items-baseline gap-3 px-2.5 py-1.5 text-left"
					disabled={saving !== ''}
					data-format={format.name}
					onclick={() => save(format.name)}
				>
					<b class="w-12 font-semibold">{format.name.toUpperCase()}</b>
					<span class="muted text-[13px]">{saving === format.name ? 'Saving …' : format.about}</span>
				</button>
			{/each}
			{#if failure}<p role="alert" class="text-bad px-2.5 py-1 text-[13px]">{failure}</p>{/if}
		</div>
	{:else if failure}<p role="alert" class="text-bad absolute top-full right-0 z-20 mt-1 text-[13px]">{failure}</p>{/if}
</div>

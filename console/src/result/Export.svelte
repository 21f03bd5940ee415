<script lang="ts">
	// The whole result as a file, and its link.
	import { account } from '../lib/account.svelte';
	import {
		makeToken,
		Refusal,
		takeFile,
		type CSVFormat,
		type FileFormat,
		type Inputs,
		type NewToken,
		type Target,
	} from '../lib/api';
	import Dialog from '../parts/Dialog.svelte';
	import CsvSettings from './CsvSettings.svelte';

	let { target, inputs, sort }: { target: Target; inputs: Inputs; sort: string[] } = $props();

	const formats: { name: FileFormat; about: string }[] = [
		{ name: 'csv', about: 'for spreadsheets and programs' },
		{ name: 'xlsx', about: 'a workbook' },
		{ name: 'pdf', about: 'pages as they print' },
		{ name: 'html', about: 'a page of its own' },
		{ name: 'json', about: 'with the header and totals' },
		{ name: 'jsonl', about: 'JSON lines, an object for each record' },
		{ name: 'parquet', about: 'for data tools' },
		{ name: 'xml', about: 'with the header and totals' },
	];
	const titles: Partial<Record<FileFormat, string>> = { jsonl: 'JSONL', parquet: 'Parquet' };
	/** How CSV is written this time. */
	let csv = $state<CSVFormat>({});
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
			const address = URL.createObjectURL(await takeFile(target, inputs, sort, format, csv));
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
	/** An address that a spreadsheet reads the records from, with these answers each time. */
	let linked = $state('');
	async function makeLink() {
		failure = '';
		try {
			const name = `${target.report}, for a spreadsheet`;
			const made = await makeToken({
				name,
				scope: 'link',
				report: target.report,
				inputs: inputs as NewToken['inputs'],
				days: 365,
			});
			linked = `${location.origin}/api/v1/linked/${made.token}/records.csv`;
			open = false;
		} catch (error) {
			failure = error instanceof Refusal ? error.message : String(error);
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
		<div class="panel absolute top-full right-0 z-20 mt-1 w-80 p-1.5 shadow-lg">
			{#each formats as format (format.name)}
				<button
					type="button"
					class="rounded-base hover:bg-wash flex min-h-9 w-full items-baseline gap-3 px-2.5 py-1.5 text-left"
					disabled={saving !== ''}
					data-format={format.name}
					onclick={() => save(format.name)}
				>
					<b class="w-16 font-semibold">{titles[format.name] ?? format.name.toUpperCase()}</b>
					<span class="muted text-[13px]">{saving === format.name ? 'Saving …' : format.about}</span>
				</button>
			{/each}
			<details class="border-line border-t px-2.5 py-1.5" data-csv>
				<summary class="min-h-7 cursor-pointer text-[13px]">How CSV is written</summary>
				<div class="grid grid-cols-2 gap-2 pt-1"><CsvSettings bind:value={csv} usual="As usual" /></div>
			</details>
			{#if account.me?.state === 'closed' && !target.draft}
				<button
					type="button"
					class="rounded-base hover:bg-wash border-line min-h-9 w-full border-t px-2.5 py-1.5 text-left"
					data-linked
					onclick={makeLink}>A link that a spreadsheet reads</button
				>
			{/if}
			{#if failure}<p role="alert" class="text-bad px-2.5 py-1 text-[13px]">{failure}</p>{/if}
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

<script lang="ts">
	// The formats in which a whole result is taken, and how CSV is written.
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
	import { saveAs } from '../lib/save';
	import CsvSettings from './CsvSettings.svelte';

	let {
		target,
		inputs,
		sort,
		charted,
		ondone,
		onlink,
	}: {
		target: Target;
		inputs: Inputs;
		sort: string[];
		/** Whether there is a chart to be taken by itself. */
		charted: boolean;
		ondone: () => void;
		/** An address was made that a spreadsheet reads. */
		onlink: (address: string) => void;
	} = $props();

	const formats: { name: FileFormat; about: string }[] = $derived([
		{ name: 'csv', about: 'for spreadsheets and programs' },
		{ name: 'xlsx', about: 'a workbook' },
		{ name: 'pdf', about: 'pages as they print' },
		{ name: 'html', about: 'a page of its own' },
		{ name: 'json', about: 'with the header and totals' },
		{ name: 'jsonl', about: 'an object for each record' },
		{ name: 'parquet', about: 'for data tools' },
		{ name: 'xml', about: 'with the header and totals' },
		...(charted
			? [
					{ name: 'svg' as const, about: 'the chart, as a drawing' },
					{ name: 'png' as const, about: 'the chart, as a picture' },
				]
			: []),
	]);
	const titles: Partial<Record<FileFormat, string>> = { jsonl: 'JSONL', parquet: 'Parquet' };
	/** How CSV is written this time. */
	let csv = $state<CSVFormat>({});
	let saving = $state('');
	let failure = $state('');

	/** Saves the whole result of the run's answers as a file. */
	async function save(format: FileFormat) {
		saving = format;
		failure = '';
		try {
			saveAs(await takeFile(target, inputs, sort, format, csv), `${target.report}.${format}`);
			ondone();
		} catch (error) {
			failure = error instanceof Refusal ? error.message : 'The file is incomplete: ' + error;
		}
		saving = '';
	}
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
			onlink(`${location.origin}/api/v1/linked/${made.token}/records.csv`);
		} catch (error) {
			failure = error instanceof Refusal ? error.message : String(error);
		}
	}
</script>

{#each formats as format (format.name)}
	<button
		type="button"
		class="rounded-base hover:bg-wash flex min-h-9 w-full items-baseline gap-3 px-2.5 py-1.5 text-left"
		disabled={saving !== ''}
		data-format={format.name}
		onclick={() => save(format.name)}
	>
		<b class="w-17 shrink-0 font-semibold">{titles[format.name] ?? format.name.toUpperCase()}</b>
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

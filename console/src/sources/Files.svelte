<script lang="ts">
	// How the files of a table are written: what is not said is found from them.
	import { untrack } from 'svelte';
	import {
		fullMessageOf,
		Refusal,
		setFile,
		type FileSettings,
		type Problem,
		type Source,
		type Table,
	} from '../lib/api';
	import { decimalMarks, delimiters, textEncodings, type Choices } from '../lib/written';

	let { source, table, onset }: { source: string; table: Table; onset: (source: Source) => void } = $props();

	let said = $state<FileSettings>(untrack(() => ({ ...table.format })));
	let words = $state(untrack(() => (table.format?.blank ?? []).join(', ')));
	let problems = $state.raw<Problem[]>([]);
	let failure = $state('');
	let busy = $state(false);

	type Field = { name: Exclude<keyof FileSettings, 'blank'>; label: string; hint?: string; choices?: Choices };
	const inText: Field[] = [
		{ name: 'delimiter', label: 'Delimiter', choices: delimiters },
		{ name: 'encoding', label: 'Encoding', choices: textEncodings },
		{ name: 'comment', label: 'Comments begin with', hint: '#' },
	];
	const inBooks: Field[] = [
		{ name: 'sheet', label: 'Sheet', hint: 'Stoppages 2025' },
		{ name: 'range', label: 'Cells, or a named range', hint: 'B4:F200' },
	];
	const inBoth: Field[] = [
		{ name: 'decimal', label: 'Decimal mark', choices: decimalMarks },
		{
			name: 'header',
			label: 'Header row',
			choices: [
				['yes', 'There is one'],
				['no', 'There is none'],
			],
		},
		{ name: 'skip', label: 'Lines before it', hint: '0' },
		{ name: 'dates', label: 'Layout of dates', hint: 'D.M.Y' },
	];
	const fields: Field[] = $derived([
		...(table.form === 'CSV' ? inText : table.form === 'workbook' ? inBooks : []),
		...(table.form === 'CSV' || table.form === 'workbook' ? inBoth : []),
		{ name: 'files', label: 'Files, as a pattern', hint: 'archive/passages-*.csv' },
	]);

	async function save(settings: FileSettings) {
		busy = true;
		[problems, failure] = [[], ''];
		try {
			onset(await setFile(source, table.name, settings));
		} catch (e) {
			problems = e instanceof Refusal ? e.problems : [];
			failure = fullMessageOf(e);
		}
		busy = false;
	}
	const own = (field: string) => problems.filter((p) => p.field === field);
	const elsewhere = $derived(problems.every((p) => fields.some((f) => f.name === p.field)) ? '' : failure);
	const split = (text: string) =>
		text
			.split(',')
			.map((w) => w.trim())
			.filter(Boolean);
</script>

<form
	class="panel grid grid-cols-2 gap-3 p-3.5 sm:grid-cols-3 xl:grid-cols-4"
	data-files
	onsubmit={(e) => {
		e.preventDefault();
		save({ ...$state.snapshot(said), blank: split(words) });
	}}
>
	{#each fields as field (field.name)}
		<label class="text-sm"
			>{field.label}
			{#if field.choices}
				<select
					class="field"
					name={field.name}
					bind:value={() => said[field.name] ?? '', (v) => (said = { ...said, [field.name]: v || undefined })}
				>
					<option value="">As detected</option>
					{#each field.choices as [value, label] (value)}<option {value}>{label}</option>{/each}
					{#if said[field.name] && !field.choices.some(([value]) => value === said[field.name])}
						<option value={said[field.name]}>{said[field.name]}</option>
					{/if}
				</select>
			{:else}
				<input
					class="field"
					name={field.name}
					placeholder={field.hint}
					bind:value={() => said[field.name] ?? '', (v) => (said = { ...said, [field.name]: v || undefined })}
				/>
			{/if}
			{#each own(field.name) as p, i (i)}<span class="text-bad block text-[13px]" data-problem={p.code}
					>{p.message} {p.hint ?? ''}</span
				>{/each}
		</label>
	{/each}
	{#if table.form === 'CSV' || table.form === 'workbook'}
		<label class="text-sm"
			>Words for no number
			<input class="field" name="blank" placeholder="NA, -, n/a" bind:value={words} /></label
		>
	{/if}
	{#if elsewhere}<p role="alert" class="wash-bad col-span-full text-sm">{elsewhere}</p>{/if}
	<div class="col-span-full flex items-center gap-3">
		<button type="submit" class="button-act" disabled={busy}>Apply</button>
		{#if Object.keys(table.format ?? {}).length}
			<button type="button" class="button" disabled={busy} onclick={() => save({})}>Back to what was detected</button>
		{/if}
		{#if busy}<span class="muted text-sm" role="status">Reading …</span>{/if}
	</div>
</form>

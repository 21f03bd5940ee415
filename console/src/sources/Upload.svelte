<script lang="ts">
	// Data files that are kept by the service: chosen or dropped, named, sent.
	import { untrack } from 'svelte';
	import { Refusal, fullMessageOf, messageOf, uploadFile, type Source } from '../lib/api';
	import Dialog from '../parts/Dialog.svelte';
	import { sizeText } from '../lib/text';

	let {
		dropped,
		into,
		onclose,
		onsaved,
	}: {
		/** What was dropped on the page. */
		dropped: File[];
		/** The source that they are to be added to; undefined for a new one. */
		into?: string;
		onclose: () => void;
		onsaved: (source: Source, file: string) => void;
	} = $props();

	let files = $state.raw<File[]>(untrack(() => dropped));
	/** The name of a source after a file. */
	const nameOf = (file?: File) =>
		(file?.name ?? '')
			.replace(/(\.(csv|tsv|tab|txt|jsonl|ndjson|parquet|pq|xlsx|xlsm|gz|zst))+$/i, '')
			.toLowerCase()
			.normalize('NFD')
			.replace(/[^a-z0-9]+/g, '-')
			.replace(/^[^a-z]+|-+$/g, '');
	let name = $state(untrack(() => into ?? nameOf(dropped[0])));
	let sent = $state(0);
	let busy = $state(false);
	let failure = $state('');
	/** Whether a file of the name is there already. */
	let there = $state(false);

	function choose(list: FileList | null) {
		files = [...(list ?? [])];
		if (!into && !name) name = nameOf(files[0]);
	}
	async function send(replace: boolean) {
		busy = true;
		failure = '';
		try {
			let made: Source | undefined;
			for (const file of files) {
				sent = 0;
				made = await uploadFile(name, file, replace, (part) => (sent = part));
				files = files.length > 1 ? files.slice(1) : files;
			}
			if (made) onsaved(made, files[0]!.name);
		} catch (e) {
			there = e instanceof Refusal && e.problems.some((p) => p.code === 'file_exists');
			failure = there ? messageOf(e) : fullMessageOf(e);
		}
		busy = false;
	}
</script>

<Dialog title={into ? `Upload to ${into}` : 'Upload a data file'} width="34rem" {onclose}>
	<form
		class="space-y-3"
		data-upload
		onsubmit={(e) => {
			e.preventDefault();
			send(false);
		}}
	>
		<label class="block"
			>CSV, TSV, JSON lines, Parquet or a workbook
			<input
				class="field pt-1.5"
				type="file"
				name="files"
				multiple
				onchange={(e) => choose(e.currentTarget.files)}
			/></label
		>
		{#if files.length}
			<ul class="text-sm">
				{#each files as file (file.name)}<li>
						<b>{file.name}</b> <span class="muted">{sizeText(file.size)}</span>
					</li>{/each}
			</ul>
		{/if}
		{#if !into}
			<label class="block"
				>Name of the source in definitions
				<input class="field" name="source-name" required placeholder="stock" bind:value={name} /></label
			>
		{/if}
		<p class="muted text-sm">
			The service keeps the file, and reads it as a table. Files whose names differ in numbers only are one table.
		</p>
		{#if failure}<p class="wash-bad text-sm" role="alert">{failure}</p>{/if}
		<div class="flex items-center gap-3">
			{#if there}<button type="button" class="button-act" disabled={busy} onclick={() => send(true)}>Replace it</button>
			{:else}<button type="submit" class="button-act" disabled={busy || files.length === 0}>Upload</button>{/if}
			{#if busy}
				<progress class="grow" aria-label="How much of it was sent" max="1" value={sent}></progress>
				<span class="muted text-sm" role="status">{sent < 1 ? 'Sending …' : 'Looking at what is in it …'}</span>
			{/if}
		</div>
	</form>
</Dialog>

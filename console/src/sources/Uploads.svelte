<script lang="ts">
	// The files that were uploaded to a source.
	import { listUploads, messageOf, removeUpload, type UploadedFile } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import { instantText, sizeText } from '../lib/text';
	import Pending from '../parts/Pending.svelte';

	let { source, changes, onchanged }: { source: string; changes: boolean; onchanged: () => void } = $props();

	const files = new Loaded<UploadedFile[]>();
	$effect(() => files.ask((signal) => listUploads(source, signal)));
	let failure = $state('');
	async function remove(name: string) {
		failure = '';
		try {
			await removeUpload(source, name);
			files.ask((signal) => listUploads(source, signal));
			onchanged();
		} catch (e) {
			failure = messageOf(e);
		}
	}
</script>

<h3 class="font-semibold">Uploaded files</h3>
{#if files.value}
	<table class="w-fit text-sm" data-uploads>
		<tbody>
			{#each files.value as file (file.name)}
				<tr class="border-line border-t">
					<th scope="row" class="py-1 pr-4 text-left font-semibold">{file.name}</th>
					<td class="py-1 pr-4 text-right tabular-nums">{sizeText(file.size)}</td>
					<td class="muted py-1 pr-4">{instantText(file.at)}</td>
					<td class="py-1"
						>{#if changes}<button
								type="button"
								class="min-h-6 underline"
								aria-label="Remove {file.name}"
								onclick={() => remove(file.name)}>Remove</button
							>{/if}</td
					>
				</tr>
			{:else}<tr><td class="muted">None are left.</td></tr>
			{/each}
		</tbody>
	</table>
{:else}<Pending of={files} />{/if}
{#if failure}<p role="alert" class="text-bad text-sm">{failure}</p>{/if}

<script lang="ts">
	// The whole page on paper, or as one page of the web that needs nothing else.
	import { fullMessageOf, takePage, type Inputs, type Target } from '../lib/api';
	import { saveAs } from '../lib/save';

	let { target, inputs }: { target: Target; inputs?: Inputs } = $props();

	let saving = $state('');
	let failure = $state('');
	async function save(format: 'pdf' | 'html') {
		saving = format;
		failure = '';
		try {
			saveAs(await takePage(target, inputs!, format), `${target.report}.${format}`);
		} catch (e) {
			failure = fullMessageOf(e);
		}
		saving = '';
	}
</script>

{#if failure}<p role="alert" class="text-bad max-w-md text-sm">{failure}</p>{/if}
{#each ['pdf', 'html'] as const as format (format)}
	<button
		type="button"
		class="button"
		data-format={format}
		disabled={!inputs || saving !== ''}
		onclick={() => save(format)}>{saving === format ? 'Running …' : format.toUpperCase()}</button
	>
{/each}

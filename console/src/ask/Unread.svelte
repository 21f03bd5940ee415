<script lang="ts">
	// Why answers could not be read, and problems that belong to no question.
	import type { Form } from './form.svelte';

	let { form }: { form: Form } = $props();
</script>

{#if form.read.failure}<p role="alert" class="wash-bad text-sm" data-unread>
		{form.read.failure} What you typed stays here.
	</p>{/if}
{#each form.elsewhere as problem, i (i)}
	<p class="text-bad text-sm">{problem.field}: {problem.message}</p>
{/each}

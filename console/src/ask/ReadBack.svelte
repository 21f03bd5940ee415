<script lang="ts">
	// What was understood of the answers, or that some need another look.
	import type { Form } from './form.svelte';

	let { form, class: className }: { form: Form; class: string } = $props();
</script>

<p
	id="readback"
	aria-live="polite"
	data-readback
	class="rounded-base {className} {form.inTheWay ? 'bg-bad-wash text-bad' : 'bg-act-wash'}"
>
	{#if form.inTheWay}{form.inTheWay}{:else if form.read.value?.readback}{form.read.value.readback}{:else}Answer what is
		needed; what will be selected is read back here.{/if}
</p>

<script lang="ts">
	// The draft of an overview as its readers will see it.
	import { link } from 'svelte-spa-router';
	import { draftAddress } from '../lib/link';
	import Overview from './Overview.svelte';

	let { params }: { params: { name: string } } = $props();
</script>

<div class="bg-wash flex flex-wrap items-center gap-3 px-4 py-1.5 text-sm">
	<span><strong>Draft</strong> of {params.name}: this is what its readers would see.</span>
	<a href={draftAddress('overview', params.name)} use:link>Back to the draft</a>
</div>
<Overview {params} draft />

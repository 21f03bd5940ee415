<script lang="ts">
	// The first rows of a row rule's table as somebody would see them, with the rule as it
	// stands in the text.
	import { listUsers, previewRule, type Result, type User } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import ResultTable from '../result/ResultTable.svelte';
	import type { Row } from '../result/run.svelte';

	let { text, name, sound }: { text: string; name: string; sound: boolean } = $props();

	const users = new Loaded<User[]>();
	$effect(() => users.ask(listUsers));
	let user = $state('');
	const rows = new Loaded<Result>();
	$effect(() => {
		const [content, as] = [text, user];
		if (!as || !sound) return;
		let stop = () => {};
		const timer = setTimeout(() => (stop = rows.ask((signal) => previewRule(content, as, signal))), 300);
		return () => {
			clearTimeout(timer);
			stop();
		};
	});
	const count = $derived(rows.value?.rows?.length ?? 0);
</script>

<div class="flex h-full flex-col gap-2" data-rule-preview>
	<label class="flex flex-wrap items-center gap-2 text-sm"
		>What is seen by
		<select class="field h-8 w-56" bind:value={user}
			><option value="">choose somebody</option>{#each users.value ?? [] as u (u.name)}<option value={u.name}
					>{u.display || u.name}</option
				>{/each}</select
		>
		{#if rows.value && user && sound}<span class="muted"
				>{count === 0
					? 'They see none of it.'
					: count >= 20
						? 'The first 20 rows'
						: count === 1
							? 'One row'
							: `${count} rows`}</span
			>{/if}
	</label>
	{#if rows.failure}<p role="alert" class="text-bad text-sm">{rows.failure}</p>{/if}
	{#if rows.value && user && sound && count}
		<div class="min-h-0 grow">
			<ResultTable
				report="draft:rule/{name}"
				columns={rows.value.columns ?? []}
				rows={(rows.value.rows ?? []) as Row[]}
				kept={count}
				title={name}
			/>
		</div>
	{/if}
</div>

<script lang="ts">
	// What was done: signing in and out, refusals, changes, publishing; and whether the log
	// is as it was written.
	import { link, push, router } from 'svelte-spa-router';
	import { listAudit, messageOf, verifyAudit, type AuditEntry, type AuditFilter, type Verified } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import { countText, instantText } from '../lib/text';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';

	const pageSize = 100;
	let entries = $state.raw<AuditEntry[]>();
	let more = $state(false);
	let failure = $state('');
	const query = $derived(new URLSearchParams(router.querystring ?? ''));
	const filter = $derived<AuditFilter>({ who: query.get('who') ?? '', what: query.get('what') ?? '' });
	function choose(field: 'who' | 'what', value: string) {
		const next = new URLSearchParams(query);
		if (value) next.set(field, value);
		else next.delete(field);
		push('/audit' + (next.size ? '?' + next : ''));
	}
	const first = new Loaded<AuditEntry[]>();
	$effect(() => {
		const asked = filter;
		return first.ask(
			(signal) => listAudit(asked, pageSize, signal),
			(list) => {
				entries = list;
				more = list.length === pageSize;
			},
		);
	});
	async function older() {
		try {
			const list = await listAudit({ ...filter, before: entries!.at(-1)!.number }, pageSize);
			entries = [...entries!, ...list];
			more = list.length === pageSize;
		} catch (e) {
			failure = messageOf(e);
		}
	}
	let head = $state('');
	let verified = $state.raw<Verified>();
	async function verify(event: Event) {
		event.preventDefault();
		failure = '';
		verified = undefined;
		try {
			verified = await verifyAudit(head.trim());
		} catch (e) {
			failure = messageOf(e);
		}
	}
	const kinds = [
		'sign-in',
		'signed-in',
		'signed-out',
		'refused',
		'password',
		'user',
		'group',
		'right',
		'rights',
		'token',
		'published',
		'removed',
	].concat(['source', 'secret', 'see-as', 'rule', 'exported']);
	const detail = (e: AuditEntry) =>
		[
			e.before !== undefined && e.before !== null ? 'before ' + JSON.stringify(e.before) : '',
			e.after !== undefined && e.after !== null ? 'now ' + JSON.stringify(e.after) : '',
		]
			.filter(Boolean)
			.join('\n');
</script>

<svelte:head><title>Audit log · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-[1080px] space-y-3 p-4 sm:px-5">
	<PageHead title="Audit log" about="What was done, by whom and from where; the newest first" />
	<div class="panel flex flex-wrap items-end gap-3 px-3.5 py-2.5 text-[13px]">
		<label
			>Done by <input
				class="field"
				name="who"
				value={filter.who}
				onchange={(e) => choose('who', e.currentTarget.value.trim())}
			/></label
		>
		<label
			>What
			<select class="field" name="what" value={filter.what} onchange={(e) => choose('what', e.currentTarget.value)}
				><option value="">Everything</option>{#each kinds as kind (kind)}<option>{kind}</option>{/each}</select
			></label
		>
		<form class="ml-auto flex items-end gap-2" onsubmit={verify}>
			<label
				>End of the log as you noted it <input
					class="field block w-64 font-mono"
					name="head"
					placeholder="may be left out"
					bind:value={head}
				/></label
			>
			<button type="submit" class="button">Verify</button>
		</form>
	</div>
	{#if verified}
		<p
			role="status"
			class={verified.whole ? 'bg-act-wash rounded-base px-3 py-2 text-sm' : 'wash-bad text-sm'}
			data-verified
		>
			{#if verified.whole}All {countText(verified.entries)} entries are as they were written. Note the end of the log somewhere
				else:
				<code class="wrap-anywhere">{verified.head}</code>{:else}The log is not as it was written. {verified.problem} The
				{countText(verified.entries)} entries before are whole.{/if}
		</p>
	{/if}
	{#if failure}<p role="alert" class="wash-bad text-sm">{failure}</p>{/if}
	<Pending of={first} lines={8} />
	{#if entries}
		<ul class="panel divide-line divide-y overflow-hidden">
			{#each entries as e (e.number)}
				<li class="px-4.5 py-1.5 text-sm">
					<span class="grid items-baseline gap-x-4 sm:grid-cols-[60px_170px_110px_minmax(0,1fr)_120px]">
						<span class="text-ink-3 tabular-nums">{e.number}</span>
						<span class="text-ink-3 tabular-nums">{instantText(e.at)}</span>
						<b class="truncate font-semibold">{e.who ?? '—'}</b>
						<span class="wrap-anywhere">{e.what} <span class="muted">{e.to ?? ''}</span></span>
						<span class="text-ink-3 text-[13px]">{e.from ?? 'at the machine'}</span>
					</span>
					{#if detail(e)}
						<details class="text-[13px]">
							<summary class="text-ink-2">What changed</summary>
							<pre class="bg-wash rounded-base overflow-x-auto p-2 whitespace-pre-wrap">{detail(e)}</pre>
						</details>
					{/if}
				</li>
			{:else}
				<li class="muted px-4.5 py-2">Nothing matches. <a href="/audit" use:link>Show everything</a></li>
			{/each}
		</ul>
		{#if more}<button type="button" class="button" onclick={older}>Older entries</button>{/if}
	{/if}
</div>

<script lang="ts">
	// How a database is reached: a new connection, or one that is changed. The password
	// goes into the service's secrets, and nobody can read it back.
	import { untrack } from 'svelte';
	import {
		addSource,
		changeSource,
		messageOf,
		Refusal,
		saveSecret,
		type Problem,
		type Source,
		type SourceInfo,
	} from '../lib/api';
	import Dialog from '../parts/Dialog.svelte';

	let {
		known,
		onclose,
		onsaved,
	}: {
		/** The connection that is changed; undefined for a new one. */
		known?: SourceInfo;
		onclose: () => void;
		onsaved: (source: Source) => void;
	} = $props();

	const before = untrack(() => known);
	let info = $state<SourceInfo>(before ? { ...before } : { name: '', engine: 'sqlite', address: '' });
	let password = $state('');
	let problems = $state.raw<Problem[]>([]);
	let failure = $state('');
	let busy = $state(false);
	const engines = [
		['sqlite', 'SQLite, a file'],
		['postgresql', 'PostgreSQL'],
		['mysql', 'MariaDB or MySQL'],
		['files', 'Data files in a folder'],
	];
	const onServer = $derived(!['sqlite', 'files'].includes(info.engine));
	const powerful = $derived(problems.some((p) => p.code === 'powerful_login') || !!info.powerful_login);
	const of = (field: string) => problems.filter((p) => p.field === field);
	const elsewhere = $derived(
		problems.filter((p) => !['name', 'address', 'database', 'user', 'secret'].includes(p.field ?? '')),
	);

	async function save(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		[problems, failure] = [[], ''];
		try {
			if (onServer && password) await saveSecret(info.secret || info.name, password);
			const { name, ...rest } = $state.snapshot(info);
			const wanted = onServer ? rest : { engine: rest.engine, address: rest.address };
			onsaved(before ? await changeSource(name, wanted) : await addSource({ name, ...wanted }));
		} catch (e) {
			if (e instanceof Refusal && e.problems.length) problems = e.problems;
			else failure = messageOf(e);
		}
		busy = false;
	}
</script>

{#snippet said(field: string)}
	{#each of(field) as p, i (i)}
		<span class="text-bad block text-[13px]" data-problem={p.code}>{p.message} {p.hint ?? ''}</span>
	{/each}
{/snippet}

<Dialog title={before ? `The connection of ${before.name}` : 'Connect a source'} width="34rem" {onclose}>
	<form class="space-y-3" onsubmit={save} data-connection>
		{#if !before}
			<label class="block"
				>Name in definitions
				<input class="field" name="source-name" required placeholder="navigation" bind:value={info.name} />
				{@render said('name')}</label
			>
		{/if}
		<label class="block"
			>Kind of database
			<select class="field" name="engine" bind:value={info.engine}>
				{#each engines as [engine, words] (engine)}<option value={engine}>{words}</option>{/each}
			</select></label
		>
		<label class="block"
			>{onServer
				? 'Host and port'
				: `Path of the ${info.engine === 'files' ? 'folder' : 'file'} on the machine of the service`}
			<input
				class="field"
				name="address"
				required
				placeholder={onServer
					? 'db.example.org:5432'
					: info.engine === 'files'
						? '/srv/exports'
						: '/srv/data/navigation.db'}
				bind:value={info.address}
			/>
			{@render said('address')}</label
		>
		{#if onServer}
			<label class="block"
				>Database <input class="field" name="database" bind:value={info.database} />
				{@render said('database')}</label
			>
			<div class="grid grid-cols-1 gap-3 sm:grid-cols-2">
				<label class="block"
					>User that only reads <input class="field" name="user" autocomplete="off" bind:value={info.user} />
					{@render said('user')}</label
				>
				<label class="block"
					>Password <input
						class="field"
						name="password"
						type="password"
						autocomplete="new-password"
						placeholder={before ? 'as it is' : ''}
						bind:value={password}
					/>
					{@render said('secret')}</label
				>
			</div>
			<label class="block"
				>Encryption
				<select class="field" name="tls" bind:value={info.tls}>
					<option value={undefined}>Verified; on this machine where the server offers it</option>
					<option value="verify">Verified</option>
					<option value="on">Encrypted, the certificate not verified</option>
					<option value="off">None</option>
				</select></label
			>
			{#if powerful}
				<label class="flex items-start gap-2 text-sm"
					><input type="checkbox" class="mt-1" name="powerful" bind:checked={info.powerful_login} /> Take this login although
					it can do more than read: Pike Gate only reads, but the database does not see to it.</label
				>
			{/if}
		{/if}
		{#each elsewhere as p, i (i)}
			<p class="wash-bad text-sm" role="alert" data-problem={p.code}>{p.message} {p.hint ?? ''}</p>
		{/each}
		{#if failure}<p class="wash-bad text-sm" role="alert">{failure}</p>{/if}
		<div class="flex items-center gap-3">
			<button type="submit" class="button-act" disabled={busy}>{before ? 'Change' : 'Connect'}</button>
			{#if busy}<span class="muted text-sm" role="status">Looking at its tables …</span>{/if}
		</div>
	</form>
</Dialog>

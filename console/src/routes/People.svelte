<script lang="ts">
	// The people who use the service, and the groups they are in.
	import { push } from 'svelte-spa-router';
	import { account } from '../lib/account.svelte';
	import {
		changeUser,
		inviteUser,
		linkUser,
		listGroups,
		listSchedules,
		listUsers,
		messageOf,
		Refusal,
		removeGroup,
		saveGroup,
		seeAs,
		showMe,
		type Group,
		type Invitation,
		type ScheduleInfo,
		type User,
	} from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import { instantText } from '../lib/text';
	import Dialog from '../parts/Dialog.svelte';
	import Empty from '../parts/Empty.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';

	const users = new Loaded<User[]>();
	const groups = new Loaded<Group[]>();
	$effect(() => users.ask(listUsers));
	$effect(() => groups.ask(listGroups));

	let search = $state('');
	const found = $derived(
		(users.value ?? []).filter((u) =>
			[u.name, u.display, u.email, u.role, ...(u.groups ?? [])].join(' ').toLowerCase().includes(search.toLowerCase()),
		),
	);
	const standing = (u: User) =>
		u.disabled ? 'disabled' : !u.has_password ? 'no password' : u.second_factor ? 'with a second factor' : '';

	/** The user in the dialog, new where the name is not known yet. */
	let open = $state<'' | 'new' | 'user' | 'group'>('');
	let chosen = $state.raw<User>();
	let form = $state({
		name: '',
		display: '',
		email: '',
		role: 'reader' as User['role'],
		groups: [] as string[],
		attributes: '',
	});
	let invited = $state.raw<Invitation>();
	/** The schedules that run for the user in the dialog, and who is to have them. */
	let schedules = $state.raw<ScheduleInfo[]>([]);
	const running = $derived(schedules.filter((s) => s.owner === chosen?.name));
	let heir = $state('');
	$effect(() => {
		if (open !== 'user') return;
		heir = '';
		listSchedules(true).then(
			(list) => (schedules = list),
			() => {},
		);
	});
	const give = (u: User) =>
		attempt(async () => {
			const { handOver } = await import('../schedule/calls');
			await handOver(u.name, heir);
			schedules = await listSchedules(true);
		});
	let failure = $state('');
	let group = $state({ name: '', title: '', members: [] as string[], known: false });

	const attributesText = (all: User['attributes']) =>
		Object.entries(all ?? {})
			.map(([name, values]) => `${name}: ${(values ?? []).join(', ')}`)
			.join('\n');
	/** Reads lines such as "regions: Upper Tarn, Wold Cut". */
	const attributesOf = (text: string) =>
		Object.fromEntries(
			text
				.split('\n')
				.filter((line) => line.includes(':'))
				.map((line) => {
					const at = line.indexOf(':');
					const values = line.slice(at + 1).split(',');
					return [line.slice(0, at).trim(), values.map((v) => v.trim()).filter(Boolean)];
				}),
		);

	function show(u?: User) {
		chosen = u;
		invited = undefined;
		failure = '';
		form = {
			name: u?.name ?? '',
			display: u?.display ?? '',
			email: u?.email ?? '',
			role: u?.role ?? 'reader',
			groups: [...(u?.groups ?? [])],
			attributes: attributesText(u?.attributes),
		};
		open = u ? 'user' : 'new';
	}
	async function attempt(what: () => Promise<unknown>, stay = false) {
		failure = '';
		try {
			await what();
			users.again();
			groups.again();
			if (!stay) open = '';
		} catch (e) {
			failure = e instanceof Refusal ? e.problems.map((p) => `${p.message} ${p.hint ?? ''}`).join(' ') : messageOf(e);
		}
	}
	function save(event: Event) {
		event.preventDefault();
		const { name, display, email, role } = form;
		const rest = { groups: form.groups, attributes: attributesOf(form.attributes) };
		if (open === 'new')
			return attempt(async () => (invited = await inviteUser({ name, display, email, role, ...rest })), true);
		return attempt(() => changeUser(name, { display, email, role, ...rest }));
	}
	const turn = (u: User) => attempt(() => changeUser(u.name, { disabled: !u.disabled }));
	const newLink = (u: User) => attempt(async () => (invited = await linkUser(u.name)), true);
	const withoutFactor = (u: User) => attempt(() => changeUser(u.name, { no_second_factor: true }));
	async function look(u: User) {
		await attempt(() => seeAs(u.name));
		if (failure) return;
		await push('/');
		account.known(await showMe());
	}
	function showGroup(g?: Group) {
		failure = '';
		group = { name: g?.name ?? '', title: g?.title ?? '', members: [...(g?.members ?? [])], known: !!g };
		open = 'group';
	}
	const address = $derived(invited ? location.origin + invited.link : '');
</script>

<svelte:head><title>People · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-[1080px] space-y-4 p-4 sm:px-5">
	<PageHead title="People" about="Who uses the service, and the groups they are in">
		<input
			class="field h-8 w-52"
			type="search"
			placeholder="Name, role or group"
			aria-label="Find a user"
			bind:value={search}
		/>
		<button type="button" class="button-act" onclick={() => show()}>New user</button>
	</PageHead>
	<Pending of={users} lines={5} />
	{#if users.value?.length === 0}
		<Empty
			><p>There are no users: whoever reaches this machine may do everything.</p>
			<p>
				<code>pikegate user add NAME --role administrator</code>, said there, makes the first one and closes the
				service.
			</p></Empty
		>
	{:else if users.value}
		<ul class="panel divide-line divide-y overflow-hidden" aria-label="Users">
			{#each found as u (u.name)}
				<li>
					<button
						type="button"
						class="hover:bg-wash grid w-full grid-cols-1 items-center gap-x-4 px-4.5 py-2 text-left sm:grid-cols-[minmax(0,1fr)_120px_minmax(0,220px)_150px]"
						data-user={u.name}
						onclick={() => show(u)}
					>
						<span class="min-w-0"
							><b class="font-semibold {u.disabled ? 'line-through' : ''}">{u.name}</b>
							<span class="muted text-sm wrap-anywhere">{u.display ?? ''}</span></span
						>
						<span class="text-sm">{u.role}</span>
						<span class="muted truncate text-[13px]">{(u.groups ?? []).join(', ')}</span>
						<span class="text-ink-3 text-[13px]">{standing(u)}</span>
					</button>
				</li>
			{:else}
				<li class="muted px-4.5 py-2 text-sm">No matches for “{search}”.</li>
			{/each}
		</ul>
	{/if}
	<section aria-labelledby="groups">
		<div class="mb-1.5 flex flex-wrap items-center justify-between gap-3">
			<h2 id="groups" class="font-semibold">
				Groups <span class="muted text-[13px] font-normal">Rights and row rules are given to groups.</span>
			</h2>
			<button type="button" class="button" onclick={() => showGroup()}>New group</button>
		</div>
		<ul class="panel divide-line divide-y overflow-hidden">
			{#each groups.value ?? [] as g (g.name)}
				<li>
					<button
						type="button"
						class="hover:bg-wash flex w-full flex-wrap items-center justify-between gap-x-4 px-4.5 py-2 text-left"
						data-group={g.name}
						onclick={() => showGroup(g)}
					>
						<span><b class="font-semibold">{g.name}</b> <span class="muted text-sm">{g.title ?? ''}</span></span>
						<span class="text-ink-3 text-[13px]">{(g.members ?? []).join(', ') || 'nobody'}</span>
					</button>
				</li>
			{:else}
				<li class="muted px-4.5 py-2 text-sm">None yet.</li>
			{/each}
		</ul>
	</section>
</div>

{#if open === 'new' || open === 'user'}
	<Dialog title={open === 'new' ? 'A new user' : form.name} width="36rem" onclose={() => (open = '')}>
		{#if invited}
			<p class="text-sm">
				Give this to {invited.user}: it sets a password, once, before {instantText(invited.expires)}. It is shown this
				once.
			</p>
			<p class="bg-wash rounded-base p-3 font-mono text-[13px] wrap-anywhere" data-link>{address}</p>
		{:else}
			<form class="grid gap-3 sm:grid-cols-2" onsubmit={save}>
				{#if open === 'new'}
					<label class="text-sm"
						>Name to sign in with
						<input
							class="field"
							name="user-name"
							required
							maxlength="100"
							autocapitalize="none"
							bind:value={form.name}
						/></label
					>
				{/if}
				<label class="text-sm"
					>Shown as <input class="field" name="display" maxlength="200" bind:value={form.display} /></label
				>
				<label class="text-sm">E-mail <input class="field" type="email" name="email" bind:value={form.email} /></label>
				<label class="text-sm"
					>Role
					<select class="field" name="role" bind:value={form.role}
						><option value="reader">Reader: finds and runs</option><option value="author"
							>Author: also writes, where granted</option
						><option value="administrator">Administrator: everything</option></select
					></label
				>
				<fieldset class="sm:col-span-2">
					<legend class="text-sm">Groups</legend>
					<div class="flex flex-wrap gap-x-4 gap-y-1">
						{#each groups.value ?? [] as g (g.name)}<label class="flex items-center gap-1.5 text-sm"
								><input type="checkbox" value={g.name} bind:group={form.groups} />{g.title || g.name}</label
							>{:else}<span class="muted text-sm">There are none yet.</span>{/each}
					</div>
				</fieldset>
				<label class="text-sm sm:col-span-2"
					>Attributes that row rules ask for, a line each
					<textarea
						class="border-edge bg-sheet rounded-base block w-full border px-2.5 py-1.5 font-mono text-[13px]"
						name="attributes"
						rows="2"
						placeholder="regions: Upper Tarn, Wold Cut"
						bind:value={form.attributes}></textarea></label
				>
				{#if failure}<p role="alert" class="wash-bad text-sm sm:col-span-2">{failure}</p>{/if}
				<div class="flex flex-wrap gap-2 sm:col-span-2">
					<button type="submit" class="button-act">{open === 'new' ? 'Make a link for them' : 'Save'}</button>
					{#if chosen && running.length}
						<div class="bg-wash rounded-base flex w-full flex-wrap items-end gap-2 p-3 text-sm" data-hand-over>
							<label class="grow"
								>{running.length === 1 ? 'One schedule runs' : `${running.length} schedules run`} for {chosen.name}.
								Hand over to
								<select class="field" bind:value={heir}>
									<option value="">Choose somebody</option>
									{#each (users.value ?? []).filter((v) => v.name !== chosen!.name && !v.disabled) as v (v.name)}<option
											value={v.name}>{v.display || v.name}</option
										>{/each}
								</select></label
							>
							<button type="button" class="button" disabled={!heir} onclick={() => give(chosen!)}>Hand over</button>
						</div>
					{/if}
					{#if chosen}
						{@const u = chosen}
						<button type="button" class="button" onclick={() => newLink(u)}>New link for a password</button>
						{#if u.second_factor}<button type="button" class="button" onclick={() => withoutFactor(u)}
								>Take the second factor away</button
							>{/if}
						{#if u.name !== account.me?.name && !u.disabled}<button type="button" class="button" onclick={() => look(u)}
								>See what they see</button
							>{/if}
						{#if u.name !== account.me?.name}<button type="button" class="button" onclick={() => turn(u)}
								>{u.disabled ? 'Enable' : 'Disable'}</button
							>{/if}
					{/if}
				</div>
			</form>
		{/if}
	</Dialog>
{:else if open === 'group'}
	<Dialog title={group.known ? group.name : 'A new group'} width="32rem" onclose={() => (open = '')}>
		<form
			class="space-y-3"
			onsubmit={(event) => {
				event.preventDefault();
				attempt(() => saveGroup(group));
			}}
		>
			{#if !group.known}<label class="block text-sm"
					>Name <input class="field" name="group-name" required maxlength="100" bind:value={group.name} /></label
				>{/if}
			<label class="block text-sm"
				>Title <input class="field" name="group-title" maxlength="200" bind:value={group.title} /></label
			>
			<fieldset>
				<legend class="text-sm">Members</legend>
				<div class="grid max-h-64 gap-1 overflow-y-auto sm:grid-cols-2">
					{#each users.value ?? [] as u (u.name)}<label class="flex items-center gap-1.5 text-sm"
							><input type="checkbox" value={u.name} bind:group={group.members} />{u.name}</label
						>{/each}
				</div>
			</fieldset>
			{#if failure}<p role="alert" class="wash-bad text-sm">{failure}</p>{/if}
			<div class="flex gap-2">
				<button type="submit" class="button-act">Save</button>
				{#if group.known}<button type="button" class="button" onclick={() => attempt(() => removeGroup(group.name))}
						>Remove it and its rights</button
					>{/if}
			</div>
		</form>
	</Dialog>
{/if}

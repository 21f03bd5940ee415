<script lang="ts">
	// One's account: how one likes to be spoken to, password and second factor, where one
	// is signed in, and what scripts sign in with.
	import { encode } from 'uqr';
	import { account } from '../lib/account.svelte';
	import {
		beginFactor,
		changeMe,
		changePassword,
		confirmFactor,
		dropFactor,
		endSession,
		endToken,
		listSessions,
		listTokens,
		makeToken,
		messageOf,
		Refusal,
		showMe,
		type Factor,
		type Profile,
		type Session,
		type Token,
	} from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import { agoText, instantText } from '../lib/text';
	import Dialog from '../parts/Dialog.svelte';
	import Empty from '../parts/Empty.svelte';
	import CsvSettings from '../result/CsvSettings.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';

	const me = $derived(account.me);
	const sessions = new Loaded<Session[]>();
	const tokens = new Loaded<Token[]>();
	$effect(() => (me?.state === 'closed' ? sessions.ask(listSessions) : undefined));
	$effect(() => (me?.state === 'closed' ? tokens.ask(listTokens) : undefined));

	let profile = $state<Profile>({});
	$effect(() => {
		const { email, language, zone, date_order, week_start, missing_year, two_digit_years, csv, guard } = me ?? {};
		profile = { email, language, zone, date_order, week_start, missing_year, two_digit_years, csv, guard };
	});
	let said = $state<Record<string, string>>({});
	let wrong = $state<Record<string, string>>({});
	/** Does something in a part of the page, which says how it went. */
	async function attempt(where: string, what: () => Promise<unknown>, done: string) {
		said = { ...said, [where]: '' };
		wrong = { ...wrong, [where]: '' };
		try {
			await what();
			said = { ...said, [where]: done };
			return true;
		} catch (e) {
			const hint = e instanceof Refusal ? (e.problems[0]?.hint ?? '') : '';
			wrong = { ...wrong, [where]: `${messageOf(e)} ${hint}` };
			return false;
		}
	}
	const saveProfile = (event: Event) => {
		event.preventDefault();
		const given = Object.fromEntries(Object.entries(profile).filter(([, value]) => value));
		return attempt('profile', async () => account.known(await changeMe(given)), 'Saved.');
	};

	let old = $state('');
	let password = $state('');
	const savePassword = async (event: Event) => {
		event.preventDefault();
		if (await attempt('password', () => changePassword(old, password), 'Changed. Sign in with the new one.')) {
			old = password = '';
			account.lost();
		}
	};

	let factor = $state.raw<Factor>();
	let confirming = $state('');
	let code = $state('');
	let written = $state.raw<string[]>([]);
	const begin = async (event: Event) => {
		event.preventDefault();
		await attempt('factor', async () => (factor = await beginFactor(confirming)), '');
		confirming = '';
	};
	const confirm = async (event: Event) => {
		event.preventDefault();
		if (await attempt('factor', async () => (written = await confirmFactor(code)), '')) {
			factor = undefined;
			account.known(await showMe());
		}
		code = '';
	};
	const drop = async (event: Event) => {
		event.preventDefault();
		if (await attempt('factor', () => dropFactor(confirming), 'Taken away.')) account.known(await showMe());
		confirming = '';
	};
	const picture = $derived.by(() => {
		if (!factor) return { size: 0, path: '' };
		const { data, size } = encode(factor.address);
		const path = data.flatMap((row, y) => row.flatMap((on, x) => (on ? [`M${x} ${y}h1v1h-1z`] : []))).join('');
		return { size, path };
	});

	async function end(id: string, mine: boolean) {
		if (await attempt('sessions', () => endSession(id), mine ? '' : 'Signed out there.')) {
			if (mine) account.lost();
			else sessions.again();
		}
	}

	let making = $state(false);
	let made = $state.raw<Token>();
	let wanted = $state({ name: '', scope: 'full' as 'full' | 'read', days: 90 });
	async function make(event: Event) {
		event.preventDefault();
		if (await attempt('token', async () => (made = await makeToken({ ...wanted, days: Number(wanted.days) })), '')) {
			tokens.again();
			wanted.name = '';
		}
	}
	async function endOne(id: number) {
		if (await attempt('tokens', () => endToken(id), 'Ended.')) tokens.again();
	}
	const scopeText = (t: Token) =>
		({
			full: 'does what you can',
			read: 'only reads',
			report: `only runs ${t.report}`,
			link: `a spreadsheet reads ${t.report}`,
		})[t.scope];
	const zones = Intl.supportedValuesOf('timeZone');
	const days = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'];
</script>

<svelte:head><title>Account · Pike Gate</title></svelte:head>

{#snippet outcome(where: string)}
	{#if wrong[where]}<p role="alert" class="wash-bad text-sm">{wrong[where]}</p>
	{:else if said[where]}<p role="status" class="text-ink-2 text-sm">{said[where]}</p>{/if}
{/snippet}

<div class="mx-auto max-w-[1080px] space-y-4 p-4 sm:px-5">
	<PageHead title="Account" about={me?.name ? `${me.display || me.name} · ${me.role}` : ''} />
	{#if me?.state === 'open'}
		<Empty
			><p>The service has no users: whoever reaches this machine may do everything.</p>
			<p><code>pikegate user add NAME --role administrator</code> makes the first one, and closes it.</p></Empty
		>
	{:else if me}
		<div class="grid gap-4 lg:grid-cols-2">
			<section class="panel space-y-3 p-4.5" aria-labelledby="profile">
				<h2 id="profile" class="font-semibold">Language, dates and files</h2>
				<form class="grid grid-cols-2 gap-3" onsubmit={saveProfile}>
					<label class="col-span-2 text-sm"
						>E-mail <input class="field" type="email" name="email" bind:value={profile.email} /></label
					>
					<label class="text-sm"
						>Time zone
						<select class="field" name="zone" bind:value={profile.zone}
							><option value={undefined}>As in this browser</option>{#each zones as zone (zone)}<option>{zone}</option
								>{/each}</select
						></label
					>
					<label class="text-sm"
						>Numbers and dates are typed as in
						<select class="field" name="language" bind:value={profile.language}
							><option value={undefined}>As the report says</option><option value="en">English, 1,234.5</option><option
								value="de">German, 1.234,5</option
							><option value="fr">French, 1 234,5</option><option value="es">Spanish, 1.234,5</option></select
						></label
					>
					<label class="text-sm"
						>03/04/2026 is read as
						<select class="field" name="date_order" bind:value={profile.date_order}
							><option value={undefined}>As the service says</option><option value="dmy">3 April</option><option
								value="mdy">4 March</option
							><option value="language">As in that language</option></select
						></label
					>
					<label class="text-sm"
						>15 May, with no year, is
						<select class="field" name="missing_year" bind:value={profile.missing_year}
							><option value={undefined}>As the service says</option><option value="latest">The latest</option><option
								value="running">This year's</option
							><option value="next">The next</option></select
						></label
					>
					<label class="text-sm"
						>Years of two digits are in the hundred from
						<input
							class="field"
							name="two_digit_years"
							inputmode="numeric"
							placeholder="as the service says"
							bind:value={() => profile.two_digit_years ?? '', (v) => (profile.two_digit_years = v || undefined)}
						/></label
					>
					<label class="text-sm"
						>Weeks begin on
						<select class="field" name="week_start" bind:value={profile.week_start}
							><option value={undefined}>As the service says</option>{#each days as day (day)}<option value={day}
									>{day[0]!.toUpperCase() + day.slice(1)}</option
								>{/each}</select
						></label
					>
					<h3 class="col-span-2 pt-1 font-semibold">CSV files</h3>
					<CsvSettings
						bind:value={() => profile.csv ?? {}, (v) => (profile.csv = v)}
						usual="As the service writes it"
					/>
					<label class="col-span-2 flex min-h-6 items-center gap-2 text-sm"
						><input
							type="checkbox"
							name="guard"
							bind:checked={() => profile.guard ?? false, (v) => (profile.guard = v)}
						/>
						Put an apostrophe before texts that a spreadsheet takes for formulas</label
					>
					<p class="text-ink-3 col-span-2 text-[13px]">
						A report that says these itself comes first. Days in a report are days in its own zone.
					</p>
					<div class="col-span-2 flex items-center gap-3">
						<button type="submit" class="button-act">Save</button>{@render outcome('profile')}
					</div>
				</form>
			</section>
			<section class="panel space-y-3 p-4.5" aria-labelledby="password-head">
				<h2 id="password-head" class="font-semibold">Password</h2>
				<form class="space-y-3" onsubmit={savePassword}>
					<input type="hidden" name="username" autocomplete="username" value={me.name} />
					<label class="block text-sm"
						>The one you sign in with
						<input
							class="field"
							type="password"
							name="old"
							autocomplete="current-password"
							required
							bind:value={old}
						/></label
					>
					<label class="block text-sm"
						>The new one, at least 12 characters
						<input
							class="field"
							type="password"
							name="new"
							autocomplete="new-password"
							required
							bind:value={password}
						/></label
					>
					<button type="submit" class="button">Change it, and sign me out everywhere</button>
					{@render outcome('password')}
				</form>
				<h2 class="border-line border-t pt-3 font-semibold">Second factor</h2>
				{#if written.length}
					<p class="text-sm">
						It is asked for from now on. <b>Write these down</b>: each can be used once in its place, should you lose
						the device.
					</p>
					<ul class="bg-wash rounded-base grid grid-cols-2 gap-1 p-3 font-mono text-sm" data-recovery>
						{#each written as one (one)}<li>{one}</li>{/each}
					</ul>
					<button type="button" class="button" onclick={() => (written = [])}>I have written them down</button>
				{:else if factor}
					<p class="text-sm">Have your authenticator read this, then type the code that it shows.</p>
					<div class="flex flex-wrap items-start gap-4">
						<svg
							class="size-44 bg-white p-2"
							viewBox="0 0 {picture.size} {picture.size}"
							role="img"
							aria-label="The secret as a picture"
							shape-rendering="crispEdges"><path d={picture.path} fill="#000" /></svg
						>
						<form class="min-w-48 grow space-y-3" onsubmit={confirm}>
							<p class="text-[13px]">
								Or type this into it: <code class="wrap-anywhere" data-secret>{factor.secret}</code>
							</p>
							<label class="block text-sm"
								>Code <input
									class="field"
									name="factor-code"
									autocomplete="one-time-code"
									required
									bind:value={code}
								/></label
							>
							<button type="submit" class="button-act">Confirm</button>
						</form>
					</div>
				{:else}
					<form class="space-y-3" onsubmit={me.second_factor ? drop : begin}>
						<p class="text-sm">
							{me.second_factor
								? `A code is asked for at sign-in. ${me.recovery ?? 0} of the codes you wrote down are left.`
								: 'A code that an authenticator shows, beside the password.'}
						</p>
						<label class="block text-sm"
							>Your password
							<input
								class="field"
								type="password"
								name="confirm"
								autocomplete="current-password"
								required
								bind:value={confirming}
							/></label
						>
						<button type="submit" class="button">{me.second_factor ? 'Take it away' : 'Set one up'}</button>
					</form>
				{/if}
				{@render outcome('factor')}
			</section>
		</div>
		<section aria-labelledby="sessions">
			<h2 id="sessions" class="mb-1.5 font-semibold">
				Where you are signed in <span class="muted text-[13px] font-normal"
					>A session ends after 12 hours without use, and after 7 days.</span
				>
			</h2>
			<Pending of={sessions} lines={2} />
			<ul class="panel divide-line divide-y">
				{#each sessions.value ?? [] as s (s.id)}
					<li class="flex flex-wrap items-center gap-x-4 gap-y-1 px-4.5 py-2 sm:flex-nowrap">
						<span class="min-w-0 grow">
							<b class="font-semibold">{s.this ? 'This browser' : s.address}</b>
							<span class="muted block truncate text-[13px]">{s.client}</span>
						</span>
						<span class="text-ink-3 shrink-0 text-[13px]">since {instantText(s.begun)}, used {agoText(s.seen)}</span>
						<button type="button" class="button" onclick={() => end(s.id, s.this)}>Sign out</button>
					</li>
				{/each}
			</ul>
			{@render outcome('sessions')}
		</section>
		<section aria-labelledby="tokens">
			<div class="mb-1.5 flex flex-wrap items-center justify-between gap-3">
				<h2 id="tokens" class="font-semibold">
					Tokens <span class="muted text-[13px] font-normal"
						>What scripts, spreadsheets and <code>pikegate sign-in</code> sign in with as you.</span
					>
				</h2>
				<button
					type="button"
					class="button"
					onclick={() => {
						made = undefined;
						making = true;
					}}>New token</button
				>
			</div>
			<Pending of={tokens} lines={2} />
			<ul class="panel divide-line divide-y">
				{#each tokens.value ?? [] as t (t.id)}
					<li class="flex flex-wrap items-center gap-x-4 gap-y-1 px-4.5 py-2 sm:flex-nowrap">
						<span class="min-w-0 grow"
							><b class="font-semibold">{t.name}</b> <span class="muted text-sm">{scopeText(t)}</span></span
						>
						<span class="text-ink-3 shrink-0 text-[13px]"
							>until {instantText(t.expires)}, {t.used ? 'used ' + agoText(t.used) : 'never used'}</span
						>
						<button type="button" class="button" onclick={() => endOne(t.id)}>End</button>
					</li>
				{:else}
					<li class="muted px-4.5 py-2 text-sm">None yet.</li>
				{/each}
			</ul>
			{@render outcome('tokens')}
		</section>
	{/if}
</div>
{#if making}
	<Dialog title={made ? 'The token' : 'A new token'} width="34rem" onclose={() => (making = false)}>
		{#if made}
			<p class="text-sm">
				Copy it now: it is shown this once. Paste it when <code>pikegate sign-in</code> asks, or give a script the
				variable
				<code>PIKEGATE_TOKEN</code>.
			</p>
			<p class="bg-wash rounded-base p-3 font-mono text-[13px] wrap-anywhere" data-token>{made.token}</p>
		{:else}
			<form class="space-y-3" onsubmit={make}>
				<label class="block text-sm"
					>What it is for <input
						class="field"
						name="token-name"
						required
						maxlength="100"
						bind:value={wanted.name}
					/></label
				>
				<label class="block text-sm"
					>What it can do
					<select class="field" name="token-scope" bind:value={wanted.scope}
						><option value="full">What you can do</option><option value="read">Only read</option></select
					></label
				>
				<label class="block text-sm"
					>How many days <input
						class="field"
						type="number"
						name="token-days"
						min="1"
						max="3650"
						required
						bind:value={wanted.days}
					/></label
				>
				{@render outcome('token')}
				<button type="submit" class="button-act">Make it</button>
			</form>
		{/if}
	</Dialog>
{/if}

<script lang="ts">
	// Signing in: by name and password, with a second factor where there is one, or at the
	// identity provider. It stands over what was there, which is kept.
	import { tick } from 'svelte';
	import { replace, router } from 'svelte-spa-router';
	import { account } from '../lib/account.svelte';
	import { Refusal, showMe, signIn, waysToSignIn, type Ways } from '../lib/api';

	let ways = $state.raw<Ways>();
	let name = $state(account.me?.name ?? '');
	let password = $state('');
	let code = $state('');
	let needsCode = $state(false);
	let failure = $state('');
	let busy = $state(false);
	let codeField = $state<HTMLInputElement>();
	let nameField = $state<HTMLInputElement>();
	$effect(() => (account.me?.name ? passwordField : nameField)?.focus());
	let passwordField = $state<HTMLInputElement>();

	waysToSignIn().then(
		(w) => (ways = w),
		(e) => (failure = String(e.message ?? e)),
	);

	/** Why the way by the identity provider led back here. */
	const reasons: Record<string, string> = {
		provider_unreachable: 'The identity provider does not answer. Try again later, or sign in with a password.',
		provider_refused: 'The sign-in at the identity provider did not succeed. Begin again.',
		provider_other: 'That answer belongs to another sign-in. Begin again.',
		provider_name: 'The identity provider gives a name that cannot be used here. Ask an administrator.',
		wrong_sign_in: 'You cannot sign in here. Ask an administrator.',
		too_many_tries: 'It was tried too often. Wait a little.',
	};
	const returned = $derived(new URLSearchParams(router.querystring ?? '').get('problem'));
	const told = $derived(failure || (returned ? (reasons[returned] ?? 'The sign-in did not succeed.') : ''));

	async function submit(event: Event) {
		event.preventDefault();
		failure = '';
		busy = true;
		try {
			await signIn(name, password, needsCode ? code : '');
			password = code = '';
			const me = await showMe();
			if (router.location === '/sign-in') replace('/');
			account.known(me);
		} catch (e) {
			if (e instanceof Refusal && e.problems[0]?.code === 'second_factor_needed') {
				needsCode = true;
				await tick();
				codeField?.focus();
			} else {
				failure = e instanceof Refusal ? e.message + ' ' + (e.problems[0]?.hint ?? '') : String(e);
				code = '';
				passwordField?.select();
			}
		}
		busy = false;
	}
	const atProvider = $derived(
		'api/v1/sign-in/provider?back=' +
			encodeURIComponent(
				router.location === '/sign-in' ? '/' : router.location + (router.querystring ? '?' + router.querystring : ''),
			),
	);
</script>

<svelte:head><title>Sign in · Pike Gate</title></svelte:head>

<div class="grid min-h-full place-items-center p-4" data-sign-in>
	<div class="panel w-full max-w-[400px] space-y-4 p-6">
		<h1>Sign in</h1>
		{#if account.me?.name}<p class="muted text-sm">
				Your session has ended. What you typed is still there; sign in again as {account.me.name} to go on.
			</p>{/if}
		<form class="space-y-3" onsubmit={submit}>
			<label class="block text-sm"
				>Name
				<input
					class="field"
					name="name"
					autocomplete="username"
					autocapitalize="none"
					required
					bind:value={name}
					bind:this={nameField}
				/>
			</label>
			<label class="block text-sm"
				>Password
				<input
					class="field"
					name="password"
					type="password"
					autocomplete="current-password"
					required
					bind:value={password}
					bind:this={passwordField}
				/>
			</label>
			{#if needsCode}
				<label class="block text-sm"
					>Code of your authenticator, or one you wrote down
					<input
						class="field"
						name="code"
						autocomplete="one-time-code"
						required
						bind:value={code}
						bind:this={codeField}
					/>
				</label>
			{/if}
			{#if told}<p role="alert" class="wash-bad text-sm">{told}</p>{/if}
			<button type="submit" class="button-act w-full" disabled={busy}>Sign in</button>
		</form>
		{#if ways?.provider}
			<div class="border-line border-t pt-4">
				<a class="button w-full" href={atProvider} data-provider>Sign in with {ways.provider}</a>
			</div>
		{/if}
		<p class="text-ink-3 text-[13px]">
			No password yet, or forgotten? An administrator can give you a link to set one.
		</p>
	</div>
</div>

<script lang="ts">
	// A link that was given to somebody to set their password with, once.
	import { replace } from 'svelte-spa-router';
	import { account } from '../lib/account.svelte';
	import { lookAtLink, messageOf, Refusal, setPassword, showMe, signIn } from '../lib/api';

	let { params }: { params: { link: string } } = $props();

	let name = $state('');
	let display = $state('');
	let password = $state('');
	let again = $state('');
	let failure = $state('');
	let spent = $state('');
	let busy = $state(false);

	$effect(() => {
		lookAtLink(params.link).then(
			(whose) => ({ user: name, display = '' } = whose),
			(e) => (spent = messageOf(e) + ' ' + (e instanceof Refusal ? (e.problems[0]?.hint ?? '') : '')),
		);
	});

	async function submit(event: Event) {
		event.preventDefault();
		failure = '';
		if (password !== again) {
			failure = 'The two are not the same. Type them again.';
			return;
		}
		busy = true;
		try {
			await setPassword(params.link, password);
			await signIn(name, password, '');
			const me = await showMe();
			await replace('/');
			account.known(me);
		} catch (e) {
			if (e instanceof Refusal && e.problems[0]?.code === 'second_factor_needed') {
				await replace('/');
				account.lost();
				return;
			}
			failure = e instanceof Refusal ? e.message + ' ' + (e.problems[0]?.hint ?? '') : String(e);
		}
		busy = false;
	}
</script>

<svelte:head><title>Welcome · Pike Gate</title></svelte:head>

<div class="grid min-h-full place-items-center p-4" data-welcome>
	<div class="panel w-full max-w-[400px] space-y-4 p-6">
		{#if spent}
			<h1>This link does not work any more</h1>
			<p role="alert">{spent}</p>
			<a class="button" href="#/">To the service</a>
		{:else if name}
			<h1>Welcome, {display || name}</h1>
			<p class="muted text-sm">Choose the password you will sign in with as <b class="text-ink">{name}</b>.</p>
			<form class="space-y-3" onsubmit={submit}>
				<input type="hidden" name="username" autocomplete="username" value={name} />
				<label class="block text-sm"
					>Password
					<!-- svelte-ignore a11y_autofocus -->
					<input
						class="field"
						name="password"
						type="password"
						autocomplete="new-password"
						required
						autofocus
						aria-describedby="what-is-good"
						bind:value={password}
					/>
				</label>
				<p id="what-is-good" class="text-ink-3 text-[13px]">
					At least 12 characters. Several words in a row make a good one.
				</p>
				<label class="block text-sm"
					>The same again
					<input class="field" name="again" type="password" autocomplete="new-password" required bind:value={again} />
				</label>
				{#if failure}<p role="alert" class="wash-bad text-sm">{failure}</p>{/if}
				<button type="submit" class="button-act w-full" disabled={busy}>Set it and sign in</button>
			</form>
		{/if}
	</div>
</div>

<script lang="ts">
	import Router, { router } from 'svelte-spa-router';
	import { wrap } from 'svelte-spa-router/wrap';
	import { connection } from './lib/connection.svelte';
	import { account } from './lib/account.svelte';
	import { Refusal, seeAsOneself, showMe } from './lib/api';
	import Bar from './parts/Bar.svelte';
	import Reports from './routes/Reports.svelte';

	const report = () => import('./routes/Report.svelte');
	const routes = {
		'/': Reports,
		'/reports/:name': wrap({ asyncComponent: report }),
		'/overviews/:name': wrap({ asyncComponent: () => import('./routes/Overview.svelte') }),
		'/runs': wrap({ asyncComponent: () => import('./routes/Runs.svelte') }),
		'/runs/:run': wrap({ asyncComponent: () => import('./routes/RunRecord.svelte') }),
		'/runs/:run/compare/:other': wrap({ asyncComponent: () => import('./routes/Compare.svelte') }),
		'/sources/:source?/:table?': wrap({ asyncComponent: () => import('./routes/Sources.svelte') }),
		'/schedules': wrap({ asyncComponent: () => import('./routes/Schedules.svelte') }),
		'/schedules/:name': wrap({ asyncComponent: () => import('./routes/Schedule.svelte') }),
		'/occurrences/:occurrence': wrap({ asyncComponent: () => import('./routes/Occurrence.svelte') }),
		'/welcome/:link': wrap({ asyncComponent: () => import('./routes/Welcome.svelte') }),
		'/calendars/:name?/:year?': wrap({ asyncComponent: () => import('./routes/Calendars.svelte') }),
		'/account': wrap({ asyncComponent: () => import('./routes/Account.svelte') }),
		'/people': wrap({ asyncComponent: () => import('./routes/People.svelte') }),
		'/rights': wrap({ asyncComponent: () => import('./routes/Rights.svelte') }),
		'/audit': wrap({ asyncComponent: () => import('./routes/Audit.svelte') }),
		'/drafts': wrap({ asyncComponent: () => import('./routes/Drafts.svelte') }),
		'/drafts/report/:name/try': wrap({ asyncComponent: () => import('./routes/Try.svelte') }),
		'/drafts/overview/:name/try': wrap({ asyncComponent: () => import('./routes/TryOverview.svelte') }),
		'/build/:kind/:name': wrap({ asyncComponent: () => import('./routes/Build.svelte') }),
		'/drafts/:kind/:name': wrap({ asyncComponent: () => import('./routes/Draft.svelte') }),
		'*': Reports,
	};
	// The page of a report is fetched as soon as a link to one is pointed at.
	const pointed = (event: Event) => {
		if ((event.target as HTMLElement).closest('a[href*="#/reports/"]')) report().catch(() => {});
	};

	// Who it is that asks decides what is shown; a page that needs no more waits for nobody.
	const welcoming = $derived(router.location.startsWith('/welcome/'));
	function meet() {
		showMe().then(
			(me) => account.known(me),
			(e) => {
				if (!(e instanceof Refusal && e.status === 401)) connection.whenBack(meet);
			},
		);
	}
	meet();
	async function beOneself() {
		await seeAsOneself();
		account.known(await showMe());
	}

	// On another page the keyboard and the screen reader go on at its beginning.
	let main = $state<HTMLElement>();
	let location = '';
	function arrived() {
		const moved = location !== '' && location !== router.location;
		location = router.location;
		if (moved) main?.focus();
	}

	let over = $state<'' | 'find' | 'help'>('');
	function key(event: KeyboardEvent) {
		const typing = (event.target as HTMLElement).closest('input, textarea, select, [contenteditable]');
		if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
			event.preventDefault();
			over = 'find';
		} else if (event.key === '?' && !typing && !event.ctrlKey && !event.altKey) {
			event.preventDefault();
			over = 'help';
		}
	}
</script>

<svelte:window onkeydown={key} onpointerover={pointed} onfocusin={pointed} />
<button
	type="button"
	class="bg-sheet sr-only focus:not-sr-only focus:absolute focus:z-50 focus:p-2"
	onclick={() => main?.focus()}>To the content</button
>
<div class="flex min-h-dvh flex-col lg:h-dvh">
	<Bar onfind={() => (over = 'find')} onhelp={() => (over = 'help')} />
	{#if connection.down}
		<p role="alert" class="bg-warn-wash text-warn px-5 py-2 text-sm" data-down>
			The service does not answer. What you typed stays here; this page goes on when it answers again.
		</p>
	{/if}
	{#if account.me?.seen_by}
		<p role="status" class="bg-warn-wash text-warn flex flex-wrap items-center gap-x-4 px-5 py-2 text-sm" data-seeing>
			You see what {account.me.display || account.me.name} sees. Nothing can be changed or taken away.
			<button type="button" class="underline" onclick={beOneself}>Be {account.me.seen_by} again</button>
		</p>
	{/if}
	{#if account.out && !welcoming}
		{#await import('./routes/SignIn.svelte') then { default: SignIn }}
			<main class="min-h-0 grow lg:overflow-auto"><SignIn /></main>
		{/await}
	{/if}
	<main
		bind:this={main}
		tabindex="-1"
		class="min-h-0 grow focus-visible:outline-none lg:overflow-auto"
		hidden={account.out && !welcoming}
	>
		<Router {routes} onRouteLoaded={arrived} />
	</main>
</div>
{#if over === 'find'}
	{#await import('./find/Find.svelte') then { default: Find }}<Find onclose={() => (over = '')} />{/await}
{:else if over === 'help'}
	{#await import('./find/Help.svelte') then { default: Help }}<Help onclose={() => (over = '')} />{/await}
{/if}

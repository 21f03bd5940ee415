// A page that is opened by its address is fetched before anything else begins.
if (location.hash.startsWith('#/reports/')) import('./routes/Report.svelte').catch(() => {});

export {};

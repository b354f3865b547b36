<!-- At hand on every page, also on a recipient's; what it shows comes when it is needed. -->
{#await import('$lib/Lost.svelte') then { default: Lost }}<Lost />{/await}

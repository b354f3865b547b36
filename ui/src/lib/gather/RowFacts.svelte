<!-- What one row of the list shows: its picture, its name, and its facts in columns or below. -->
<script lang="ts">
  import { briefly, inFull } from '$lib/time';
  import Face from './Face.svelte';
  import { gather, kinds, type Row } from './gather.svelte';

  let { row, pictures }: { row: Row; pictures: boolean } = $props();
</script>

{#if row.place}
  <span class="pic place" aria-hidden="true">
    <svg viewBox="0 0 48 30" fill="none" stroke="currentColor" stroke-width="1.5">
      <path d="M4 27V8h13l3 4h24v15z" />
      <path d="M4 17q5-3 10 0t10 0 10 0 10 0" stroke-dasharray="2 2.5" />
    </svg>
  </span>
  <span class="name">
    <strong>{row.place.name}</strong>
    <span class="sub">{row.place.kind}{row.place.at_hand_since ? ', at hand' : ''}</span>
  </span>
  {#if !pictures}<span class="when figure" title={inFull(new Date(row.place.changed_at))}
      >{briefly(new Date(row.place.changed_at))}</span
    >{/if}
{:else}
  {@const t = row.thing}
  <span class="pic"><Face thing={t} bars={pictures ? 60 : 22} /></span>
  <span class="name">
    <strong title={t.name}>{t.name}</strong>
    <span class="sub">
      {kinds[t.what]}{#if t.versions > 1}, v{t.number} of {t.versions}{/if}{#if t.renditions}, {t.renditions + 1} formats{/if}{#if t.at_hand},
        at hand{/if}{#if t.media_state === 'failed'}, <span class="late">no preview</span
        >{/if}{#if t.media_state === 'working'}, preview {Math.round(t.media_share * 100)} %{/if}
      {#each t.tags as tag (tag)}<span class="tag">{tag}</span>{/each}
    </span>
    {#if pictures}
      {@const [first, second] = [t.length, t.shape, t.weight].filter(Boolean)}
      <span class="sub figure"
        >{first}{#if second}<span class="second">{` · ${second}`}</span>{/if}</span
      >
    {/if}
  </span>
  {#if !pictures}
    <span class="figure length">{t.length}</span>
    <span class="figure shape">{t.shape}</span>
    <span class="figure rate">{t.rate}</span>
    <span class="figure size">{t.kind === 'file' ? t.weight : ''}</span>
    <span class="when figure" title={inFull(new Date(t.changed_at))}
      >{briefly(new Date(gather.liking.order === 'added' ? t.added_at : t.changed_at))}</span
    >
  {/if}
{/if}

<style>
  .pic {
    height: 40px;
    display: block;
  }
  .place {
    color: var(--main);
    display: grid;
    place-items: center;
  }
  .place svg {
    width: 44px;
  }
  .name {
    min-width: 0;
  }
  .name strong,
  .sub {
    display: block;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .name strong {
    font-weight: 600;
    line-height: 1.3;
  }
  .sub {
    color: var(--muted);
    font-size: var(--t-small);
    line-height: 1.35;
  }
  .tag {
    margin-left: var(--s-2);
    padding: 0 var(--s-1);
    background: var(--empty);
    border-radius: 2px;
  }
  .figure {
    white-space: nowrap;
  }
  .length,
  .shape,
  .size,
  .rate {
    text-align: right;
  }
  .when {
    grid-column: -2;
    text-align: right;
    color: var(--muted);
  }
  :global(.pictures) .pic {
    flex: 1;
    min-height: 0;
  }
  :global(.pictures) .place svg {
    width: 40%;
    max-width: 90px;
  }
  :global(.pictures) .sub .tag {
    display: none;
  }
  @media (--narrow) {
    .second {
      display: none;
    }
  }
  @media (--below-wide) {
    .shape,
    .rate,
    .when {
      display: none;
    }
  }
  @media (--phone) {
    .length {
      display: none;
    }
  }
</style>

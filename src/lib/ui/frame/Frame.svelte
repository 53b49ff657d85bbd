<script lang="ts">
  import { say } from '$core/base/say';
  import { isAnythingUnsaved } from '$ui/designPlace';
  import { formsOf } from '$core/forms/form';
  import ArrowRightLeft from '@lucide/svelte/icons/arrow-right-left';
  import Search from '@lucide/svelte/icons/search';
  import Contrast from '@lucide/svelte/icons/contrast';
  import Languages from '@lucide/svelte/icons/languages';
  import Layers from '@lucide/svelte/icons/layers';
  import History from '@lucide/svelte/icons/history';
  import Spline from '@lucide/svelte/icons/spline';
  import Trash2 from '@lucide/svelte/icons/trash-2';
  import HeartPulse from '@lucide/svelte/icons/heart-pulse';
  import PackageOpen from '@lucide/svelte/icons/package-open';
  import FileInput from '@lucide/svelte/icons/file-input';
  import Users from '@lucide/svelte/icons/users';
  import Workflow from '@lucide/svelte/icons/workflow';
  import Cable from '@lucide/svelte/icons/cable';
  import ChartColumn from '@lucide/svelte/icons/chart-column';
  import PanelLeft from '@lucide/svelte/icons/panel-left';
  import type { Snippet } from 'svelte';
  import type { Icon } from '$core/types/icons';
  import { ownTables } from '$core/model/model';
  import { workNames, works } from '$core/transfer/works';
  import type { Model } from '$core/types/model';
  import type { Dye } from '$core/types/field';
  import type { May } from '$server/access/may';
  import { page } from '$app/state';
  import { call, workspacePath } from '../api';
  import { seeAsOneself } from './seeAs';
  import Menu from '../controls/Menu.svelte';
  import PrivateMark from '../controls/PrivateMark.svelte';
  import Sign from '../controls/Sign.svelte';
  import CommandLine, { type Command } from './CommandLine.svelte';
  import Notices from './Notices.svelte';
  import UnsentStrip from './UnsentStrip.svelte';
  import { useFrame } from './context';
  import { switchLight } from './theme';
  import { tour } from './tour.svelte';
  import TourCard from './TourCard.svelte';

  const {
    workspace,
    model,
    counts,
    setAside,
    person,
    workspaces,
    children,
  }: {
    workspace: {
      key: string;
      label: string;
      role: string;
      may: May;
      seenAs: string | null;
      /** It shows a template. */
      isPreview?: boolean;
      dye: Dye;
      icon: Icon | null;
    };
    model: Model;
    counts: Readonly<Record<string, number>>;
    /** How many values wait for repair. */
    setAside: number;
    person: { name: string; email: string };
    workspaces: readonly { key: string; label: string }[];
    children: Snippet;
  } = $props();
  const { live, notices, health, unsent } = useFrame();
  let folded = $state(false);
  let commandLine = $state<ReturnType<typeof CommandLine> | null>(null);

  const root = $derived(`/w/${workspace.key}`);
  const tables = $derived(ownTables(model));
  const designs = $derived(workspace.may.design);
  const stations = $derived(
    [
      { label: 'Weave', href: `${root}/weave`, icon: Spline, shown: true },
      { label: 'Tables', href: root, icon: Layers, shown: true },
      { label: 'Intake', href: `${root}/intake`, icon: FileInput, shown: designs },
      { label: 'Transfer', href: `${root}/transfer`, icon: ArrowRightLeft, shown: workspace.may.write },
      { label: 'Routines', href: `${root}/routines`, icon: Workflow, shown: workspace.may.routines },
      { label: 'Summaries', href: `${root}/summaries`, icon: ChartColumn, shown: true },
      { label: 'Set aside', href: `${root}/set-aside`, icon: PackageOpen, shown: true, count: setAside },
      { label: 'Health', href: `${root}/health`, icon: HeartPulse, shown: true, count: health.count },
      { label: 'History', href: `${root}/history`, icon: History, shown: true },
      { label: 'Bin', href: `${root}/bin`, icon: Trash2, shown: true },
      { label: 'People', href: `${root}/people`, icon: Users, shown: true },
      { label: 'Languages', href: `${root}/languages`, icon: Languages, shown: designs },
      {
        label: 'Programs',
        href: `${root}/programs`,
        icon: Cable,
        shown: workspace.may.routines || workspace.may.people,
      },
    ].filter(({ shown }) => shown),
  );
  const here = $derived(page.url.pathname);
  const table = $derived(tables.find(({ key }) => here === `${root}/t/${key}` || here.startsWith(`${root}/t/${key}/`)));
  // The longest address that fits: that of the tables is the beginning of all others.
  const station = $derived(
    stations.toSorted((a, b) => b.href.length - a.href.length).find(({ href }) => here.startsWith(href)),
  );
  const initialsOf = (name: string) =>
    name
      .split(' ')
      .map((word) => word[0])
      .join('')
      .slice(0, 2);
  const initials = $derived(initialsOf(person.name));
  /** Others, each once, with the table they are in. */
  const others = $derived(
    [...new Map(live.here.filter(({ name }) => name !== person.name).map((one) => [one.person, one])).values()].map(
      (one) => ({
        ...one,
        where: tables.find(({ id }) => id === one.table)?.label ?? null,
      }),
    ),
  );

  const commands = $derived<Command[]>([
    ...tables.map(({ label, key }) => ({ label, about: 'records', href: `${root}/t/${key}` })),
    ...tables.map(({ label, key }) => ({
      label: `Structure of ${label}`,
      about: 'fields',
      href: `${root}/t/${key}/structure`,
    })),
    ...tables
      .filter(({ id }) => workspace.may.tables[id]?.write)
      .flatMap((table) =>
        formsOf(table).map((form) => ({
          label: `Fill in: ${form.label}`,
          about: `form of ${table.label}`,
          href: `${root}/t/${table.key}/forms/${form.id}/fill`,
        })),
      ),
    ...(workspace.may.bringIn ? [{ label: 'Bring in files', about: 'Intake', href: `${root}/intake` }] : []),
    ...(workspace.may.write
      ? [
          { label: 'Transfer', about: 'move, merge, split, clean', href: `${root}/transfer` },
          ...workNames.map((work) => ({
            label: say(works[work].label),
            about: 'Transfer',
            href: `${root}/transfer/${work}`,
          })),
        ]
      : []),
    ...(workspace.may.routines
      ? [
          { label: 'Routines', about: 'steps that run by themselves', href: `${root}/routines` },
          { label: 'Runs of routines', about: 'what ran, and what came of it', href: `${root}/routines/runs` },
          ...tables.map(({ label, key }) => ({
            label: `New routine for ${label}`,
            about: 'Routines',
            href: `${root}/routines/new?table=${key}`,
          })),
        ]
      : []),
    { label: 'Summaries', about: 'numbers, charts and lists on pages', href: `${root}/summaries` },
    { label: 'New summary', about: 'Summaries', href: `${root}/summaries/new` },
    ...(designs ? [{ label: 'New table', about: 'Tables', href: `${root}?new` }] : []),
    { label: 'Weave', about: 'tables and links as a map', href: `${root}/weave` },
    { label: 'Set aside', about: 'values that did not fit', href: `${root}/set-aside` },
    { label: 'Health', about: 'data checks', href: `${root}/health` },
    { label: 'Bin', about: 'what was deleted', href: `${root}/bin` },
    { label: 'History', about: 'what changed, and undo it', href: `${root}/history` },
    { label: 'People', about: 'who is in, and what they may do', href: `${root}/people` },
    ...(workspace.may.people
      ? [{ label: 'Roles', about: 'what each may see and do', href: `${root}/people/roles` }]
      : []),
    ...(workspace.may.routines || workspace.may.people
      ? [{ label: 'Programs', about: 'webhooks, and ways into the database', href: `${root}/programs` }]
      : []),
    ...(designs ? [{ label: 'Languages', about: 'texts for people who read another', href: `${root}/languages` }] : []),
    ...(workspace.may.people
      ? [{ label: 'Take out as a package', about: 'the whole workspace in one file', href: `${root}/package` }]
      : []),
    { label: 'Outbox', about: 'messages that went out', href: '/outbox' },
    { label: 'Tokens', about: 'for programs', href: '/tokens' },
    { label: 'Your account', about: 'language, second factor, other devices', href: '/account' },
    ...workspaces
      .filter(({ key }) => key !== workspace.key)
      .map(({ key, label }) => ({ label, about: 'workspace', href: `/w/${key}` })),
    { label: 'Home', about: 'all workspaces', href: '/' },
    { label: 'Tour', about: 'six steps through what there is', run: () => tour.begin() },
    { label: 'Switch between light and dark', about: 'this browser', run: switchLight },
    {
      label: 'Sign out',
      about: person.email,
      run: () => document.querySelector<HTMLFormElement>('#sign-out')?.requestSubmit(),
    },
  ]);

  /** Records of all tables by their titles. */
  async function search(typed: string): Promise<Command[]> {
    const answer = await call<{
      items: { table: string; label: string; id: number; title: string; near: boolean }[];
    }>('GET', workspacePath(workspace.key, `/search?${new URLSearchParams({ q: typed, limit: '4' })}`));
    return answer.ok
      ? answer.value.items.map(({ table: key, label, id, title, near }) => ({
          label: title,
          about: `${label}${near ? ', nearly that' : ''}`,
          href: `${root}/t/${key}/r/${id}`,
        }))
      : [];
  }
</script>

<svelte:window onbeforeunload={(event) => isAnythingUnsaved() && event.preventDefault()} />

<div class="frame" class:folded>
  <nav class="rail" aria-label="Workspace">
    <a class="home" href="/" title="Home"
      >{#if workspace.icon}<span class="sign" style:--dye="var(--dye-{workspace.dye})"
          ><Sign icon={workspace.icon} size={18} /></span
        >{:else}<span class="weave" aria-hidden="true"></span>{/if}<span class="name">{workspace.label}</span></a
    >
    <ul>
      {#each stations as { label, href, icon: Icon, count } (label)}
        <li>
          <a {href} aria-current={station?.label === label && !table ? 'page' : undefined} title={label}
            ><Icon size={16} /><span class="name">{label}</span>{#if count}<span class="count"
                >{count.toLocaleString()}</span
              >{/if}</a
          >
        </li>
      {/each}
    </ul>
    <ul class="tables">
      {#each tables as { key, label, dye, icon, privateTo } (key)}
        <li>
          <a
            class="table"
            href="{root}/t/{key}"
            aria-current={table?.key === key ? 'page' : undefined}
            style:--dye="var(--dye-{dye})"
            title={label}
          >
            {#if icon}<span class="sign"><Sign {icon} /></span>{/if}<span class="name">{label}</span>{#if !icon}<span
                class="short"
                aria-hidden="true">{label.slice(0, 2)}</span
              >{/if}<PrivateMark table={{ privateTo }} words={false} /><span class="count"
              >{counts[key]?.toLocaleString() ?? ''}</span
            >
          </a>
        </li>
      {/each}
      {#if designs}<li>
          <a class="new" href="{root}?new"
            ><span class="name">+ table</span><span class="short" aria-hidden="true">+</span></a
          >
        </li>{/if}
    </ul>
    <button class="fold" onclick={() => (folded = !folded)} aria-label={folded ? 'Unfold the rail' : 'Fold the rail'}
      ><PanelLeft size={16} /></button
    >
  </nav>

  <header class="line">
    <div class="path">
      <Menu
        label="Workspaces"
        items={[
          ...workspaces.map(({ key, label }) => ({ label, href: `/w/${key}` })),
          { label: 'Home: everything', href: '/' },
        ]}>{workspace.label}</Menu
      >
      <span aria-hidden="true">›</span>
      {#if table}
        <Menu label="Tables" items={tables.map(({ key, label }) => ({ label, href: `${root}/t/${key}` }))}
          ><strong>{table.label}</strong></Menu
        >
      {:else}
        <strong class="here">{station?.label ?? ''}</strong>
      {/if}
    </div>
    {#if others.length > 0}
      <span class="others" role="group" aria-label="Also here">
        {#each others.slice(0, 4) as one, index (index)}<span
            class="other"
            title="{one.name}{one.where ? `, in ${one.where}` : ''}">{initialsOf(one.name)}</span
          >{/each}
        {#if others.length > 4}<span class="more">+{others.length - 4}</span>{/if}
      </span>
    {/if}
    {#if !live.connected}<span class="lost" role="status">Connection lost; trying again</span>{/if}
    <button class="find" aria-label="Find or do" onclick={() => commandLine?.show()}
      ><Search size={14} /><span>Find or do</span><kbd>Ctrl K</kbd></button
    >
    <button class="icon" onclick={switchLight} aria-label="Switch between light and dark"><Contrast size={16} /></button
    >
    <Menu
      label="{person.name}, {workspace.role.toLowerCase()}"
      items={[
        { label: 'Your account', href: '/account' },
        { label: 'Tokens for programs', href: '/tokens' },
        { label: 'Sign out', run: () => document.querySelector<HTMLFormElement>('#sign-out')?.requestSubmit() },
      ]}
    >
      <span class="person" title="{person.name}, {workspace.role.toLowerCase()}">{initials}</span>
    </Menu>
    <form id="sign-out" method="post" action="/sign-out"></form>
  </header>
  <main class="stage">
    {#if workspace.seenAs}<p class="seen-as" role="status">
        You look at this workspace as {workspace.seenAs} sees it; nothing can be changed.
        <button type="button" onclick={() => void seeAsOneself(notices)}>Look as yourself again</button>
      </p>{/if}
    {#if workspace.isPreview}<p class="seen-as" role="status">
        A template on its samples: look around, nothing here is kept. <a href="/templates">All templates</a>
      </p>{/if}
    <UnsentStrip {unsent} />
    <div class="inner">{@render children()}</div>
  </main>
</div>
<CommandLine bind:this={commandLine} {commands} {search} />
<Notices {notices} />
<TourCard {root} />

<style>
  .seen-as {
    padding: 6px 16px;
    background: var(--weld-tint, var(--sunken));
    border-bottom: 1px solid var(--line-strong);
  }
  .seen-as button {
    color: var(--woad);
    text-decoration: underline;
  }
  .frame {
    display: grid;
    grid-template: 44px minmax(0, 1fr) / 196px minmax(0, 1fr);
    height: 100dvh;
  }
  .folded {
    grid-template-columns: 52px minmax(0, 1fr);
  }
  .folded .name,
  .folded .count {
    display: none;
  }
  .short {
    display: none;
  }
  .folded .short {
    display: inline;
  }
  .rail {
    grid-row: 1 / 3;
    display: flex;
    flex-direction: column;
    background: var(--sunken);
    border-right: 1px solid var(--line);
    overflow: auto;
  }
  .rail a {
    display: flex;
    align-items: center;
    gap: 10px;
    padding: 5px 14px;
    color: var(--ink);
  }
  .rail a:hover {
    background: var(--ground);
  }
  .home {
    height: 44px;
    font-weight: 600;
    border-bottom: 1px solid var(--line);
  }
  /* Two threads over and under: the product's mark. */
  .weave {
    width: 18px;
    height: 18px;
    flex: none;
    border-radius: 3px;
    background:
      repeating-linear-gradient(90deg, var(--woad) 0 4px, transparent 4px 7px),
      repeating-linear-gradient(0deg, var(--weld) 0 3px, var(--woad-tint) 3px 7px);
  }
  ul {
    padding: 8px 0;
  }
  .tables {
    flex: 1;
    border-top: 1px solid var(--line);
  }
  .table {
    border-left: 4px solid var(--dye);
  }
  .sign {
    display: flex;
    flex: none;
    color: var(--dye);
  }
  .home .name,
  .table .name {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .count {
    margin-left: auto;
    color: var(--ink-soft);
    font-size: 12px;
    font-variant-numeric: tabular-nums;
  }
  .rail a.new {
    padding-left: 18px;
    color: var(--woad);
  }
  [aria-current] {
    background: var(--raised) !important;
    font-weight: 600;
  }
  .fold {
    padding: 10px 16px;
    color: var(--ink-soft);
    text-align: left;
  }
  .line {
    display: flex;
    align-items: center;
    gap: 10px;
    padding: 0 12px 0 10px;
    background: var(--raised);
    border-bottom: 1px solid var(--line);
  }
  /* Long names give way here, and nowhere else. */
  .path > :global(.menu) {
    flex: 0 1 auto;
    min-width: 48px;
  }
  .path {
    display: flex;
    align-items: center;
    gap: 2px;
    margin-right: auto;
    min-width: 0;
  }
  .here {
    padding: 3px 8px;
  }
  .lost {
    color: var(--weld);
    font-weight: 600;
  }
  .find {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 3px 10px;
    color: var(--ink-soft);
    border: 1px solid var(--line-strong);
    border-radius: var(--radius);
  }
  kbd {
    font: 11px var(--mono);
    color: var(--ink-faint);
  }
  .icon {
    padding: 6px;
    color: var(--ink-soft);
  }
  .person {
    display: grid;
    place-items: center;
    width: 28px;
    height: 28px;
    color: var(--woad);
    font-size: 12px;
    font-weight: 600;
    background: var(--woad-tint);
    border-radius: 50%;
  }
  .others {
    display: flex;
    gap: 3px;
    align-items: center;
  }
  .other {
    display: grid;
    place-items: center;
    width: 24px;
    height: 24px;
    color: var(--ink);
    font-size: 11px;
    background: var(--sunken);
    border: 1px solid var(--line-strong);
    border-radius: 50%;
  }
  .more {
    color: var(--ink-soft);
    font-size: 12px;
  }
  .inner {
    display: flex;
    flex: 1;
    min-width: 0;
    min-height: 0;
  }
  .stage {
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    /* Not `hidden`: what comes into focus would scroll the stage under the line above, and nobody could scroll it back. */
    overflow: clip;
  }
  @media (max-width: 800px) {
    .frame {
      grid-template-columns: 48px minmax(0, 1fr);
    }
    .name,
    .count,
    .find span,
    .find kbd {
      display: none;
    }
    .short {
      display: inline;
    }
  }
  /* On paper there is the stage alone, as long as it is. */
  @media print {
    .frame {
      display: block;
      height: auto;
    }
    .rail,
    .line {
      display: none;
    }
    .stage,
    .inner {
      display: block;
      overflow: visible;
    }
  }
</style>

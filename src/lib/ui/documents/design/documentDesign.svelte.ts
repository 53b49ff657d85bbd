import { attrKinds, tableOver } from '$core/documents/attrs';
import { readDocument } from '$core/documents/document';
import type { Written } from '$core/filled/written';
import type { Problem } from '$core/base/problem';
import { tableOf } from '$core/model/model';
import type { LabelSheet, Paper } from '$core/types/document';
import type { Model, Table } from '$core/types/model';
import type { Answer } from '../../api';
import { SteppedDraft, type SavedPart } from '../../steppedDraft.svelte';
import type { NodeJson } from './editorJson';

/** A document as the API has it. */
export interface DocumentJson {
  readonly label: string;
  readonly description: string;
  readonly paper: Paper;
  readonly labels: LabelSheet | null;
  readonly header: readonly NodeJson[];
  readonly body: readonly NodeJson[];
  readonly footer: readonly NodeJson[];
}
export const regions = ['header', 'body', 'footer'] as const;
export type Region = (typeof regions)[number];

interface DesignGround {
  readonly model: Model;
  readonly table: Table;
  readonly path: string;
}

/** The table of records that a place within these repetitions is over; the nearest that is there. */
export function tableWithin(model: Model, table: Table, overs: readonly string[]): Table {
  let at = table;
  for (const over of overs) {
    const read = attrKinds.over.read(model, at, over, '');
    const target = read.ok && read.value ? tableOver(model, at, read.value) : undefined;
    if (!target) return at;
    at = tableOf(model, target.id);
  }
  return at;
}

/** A document while it is designed: as it is now beside how it is saved, and what is wrong with it. */
export class DocumentDesign {
  readonly draft: SteppedDraft<DocumentJson>;

  constructor(
    start: DocumentJson,
    id: string | null,
    private readonly where: () => DesignGround,
  ) {
    this.draft = new SteppedDraft(start, id, 'document', () => 'one');
  }

  /** Null for one that was never saved. */
  get id(): string | null {
    return this.draft.id;
  }
  get json(): DocumentJson {
    return this.draft.now;
  }
  get saved(): DocumentJson {
    return this.draft.saved;
  }
  get ground(): DesignGround {
    return this.where();
  }
  readonly isChanged = $derived.by(() => this.draft.isChanged);
  readonly canStepBack = $derived.by(() => this.draft.canStepBack);

  /** What keeps it from being saved. */
  readonly problem = $derived.by((): Problem | null => {
    const { model, table } = this.ground;
    if (this.json.label.trim() === '') return { message: 'The document has no name yet.', at: '/label' };
    const read = readDocument(model, table, '', this.json as unknown as Written);
    return read.ok ? null : read.problem;
  });

  /** How many of its parts use what was deleted; they are left out when it is saved. */
  readonly lost = $derived.by(() => JSON.stringify(this.json).match(/"lost":true/g)?.length ?? 0);

  change(more: Partial<DocumentJson>): void {
    this.draft.change({ ...this.json, ...more });
  }
  stepBack(): void {
    this.draft.stepBack();
  }
  save(): Promise<Answer<SavedPart<DocumentJson>>> {
    return this.draft.save(this.ground.path);
  }
}

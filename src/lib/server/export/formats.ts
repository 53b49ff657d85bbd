import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { streamOf } from '../base/streamOf';
import type { Audience, Selected } from './cells';
import { csvPieces } from './csv';
import { jsonExport, linesExport } from './json';
import { odsExport } from './ods';
import { xlsxExport } from './xlsx';

/** A format in which a table is written out. */
interface ExportFormat {
  /** Media type (RFC 6838). */
  readonly type: string;
  /** For whom it is where nobody says so. */
  readonly audience: Audience;
  write(pool: Pool, access: WorkspaceAccess, selected: Selected, audience: Audience): Parameters<typeof streamOf>[0];
}

/** The formats of exports by the ending of their files, the first unless another is asked for. */
export const exportFormats = {
  csv: { type: 'text/csv; charset=utf-8', audience: 'spreadsheet', write: csvPieces },
  xlsx: {
    type: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
    audience: 'spreadsheet',
    write: (pool, access, selected) => xlsxExport(pool, access, selected),
  },
  ods: { type: 'application/vnd.oasis.opendocument.spreadsheet', audience: 'spreadsheet', write: odsExport },
  /** Records as reading them answers, one a line: what is given out can be sent again. */
  ndjson: { type: 'application/x-ndjson', audience: 'program', write: linesExport },
  json: { type: 'application/json; charset=utf-8', audience: 'program', write: jsonExport },
} satisfies Record<string, ExportFormat>;

/** A table written out, as an answer that is sent as it is made. */
export function exportOf(
  pool: Pool,
  access: WorkspaceAccess,
  selected: Selected,
  ending: keyof typeof exportFormats,
  audience?: Audience,
): Response {
  const format: ExportFormat = exportFormats[ending];
  return new Response(streamOf(format.write(pool, access, selected, audience ?? format.audience)), {
    headers: {
      'content-type': format.type,
      'content-disposition': `attachment; filename="${selected.table.key}.${ending}"`,
    },
  });
}

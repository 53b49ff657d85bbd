/**
 * A flat sheet of 20 columns in which hives, keepers, apiaries and queens are repeated on each row; row by row, the
 * same each time.
 */
export const flatNames =
  'visit,hive,hive_type,hive_since,keeper_code,keeper,village,phone,apiary,height,owner,queen,queen_line,born,day,frames,stores,temper,seen,notes'.split(
    ',',
  );

const mixed = (i: number, salt: number) => ((i * 2_654_435_761 + salt * 40_503) >>> 0) % 1_000_003;

export function flatRow(i: number): string[] {
  const hive = mixed(i, 1) % 5_000;
  const keeper = mixed(hive, 2) % 600;
  const apiary = mixed(hive, 3) % 140;
  const queen = mixed(hive, 4) % 4_000;
  // Now and then somebody wrote the village differently.
  const village = mixed(i, 5) % 400 === 0 ? 'elsewhere' : `village ${mixed(keeper, 6) % 40}`;
  return [
    `V${i}`,
    `H-${hive}`,
    `type ${mixed(hive, 7) % 4}`,
    `20${10 + (mixed(hive, 8) % 15)}-01-01`,
    `K-${keeper}`,
    `keeper ${keeper % 590}`,
    village,
    `555 ${keeper}`,
    `apiary ${apiary}`,
    String(100 + (mixed(apiary, 9) % 400)),
    `owner ${mixed(apiary, 10) % 90}`,
    `Q-${queen}`,
    `line ${mixed(queen, 11) % 5}`,
    `20${20 + (mixed(queen, 12) % 6)}-05-01`,
    `2026-${String(1 + (mixed(i, 13) % 12)).padStart(2, '0')}-${String(1 + (mixed(i, 14) % 28)).padStart(2, '0')}`,
    String(mixed(i, 15) % 12),
    String(mixed(i, 16) % 101),
    String(mixed(i, 17) % 5),
    `seen ${mixed(i, 18) % 6}`,
    `note ${mixed(i, 19) % 800}`,
  ];
}

/**
 * A place of the valley with its coordinates (WGS 84, degrees): the small gazetteer that ships with the application.
 */
export interface KnownPlace {
  readonly name: string;
  readonly latitude: string;
  readonly longitude: string;
}

const rows =
  'Alderfold 54.6012 -2.9110|Low Meadow 54.5987 -2.9043|Fell Gate 54.6121 -2.9312|Linden Row 54.6034 -2.8986|Mill Race 54.5951 -2.9154|Heather Bank 54.6178 -2.9201|' +
  'Upper Garth 54.6233 -2.9088|Nether Garth 54.6205 -2.9019|Quarry End 54.6090 -2.8871|Brook Side 54.5923 -2.8992|Stonebeck 54.5866 -2.9217|Hollin Wood 54.5899 -2.9345|' +
  'Orchard Hill 54.6066 -2.9240|Thistle Croft 54.6147 -2.8942|Old Ferry 54.5834 -2.9078|Larch How 54.6290 -2.9166|Rowan Tarn 54.6318 -2.9267|Sheepfold Top 54.6352 -2.9043|' +
  'Clover Lea 54.5978 -2.8893|Bracken Edge 54.6255 -2.9389|Weir Cottage 54.5942 -2.9201|Southway 54.5790 -2.9132|Northway 54.6401 -2.9104|Market Square 54.6016 -2.9103|' +
  'Chapel Yard 54.6023 -2.9131|Willow Holm 54.5911 -2.9064|Gorse Common 54.6099 -2.9424|Bell Heath 54.6188 -2.8820|Fern Slack 54.6279 -2.8905|Tarn Foot 54.6301 -2.9310';

export const gazetteer: readonly KnownPlace[] = rows.split('|').map((row) => {
  const [, name = '', latitude = '', longitude = ''] = /^(.+) (\S+) (\S+)$/.exec(row) ?? [];
  return { name, latitude: String(Number(latitude)), longitude: String(Number(longitude)) };
});

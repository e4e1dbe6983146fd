import type { Change } from '@heathridge/core/change';
import type { FieldType } from '@heathridge/core/design';
import { field, number, table } from '../../../core/src/design/testing/office';

const text = (most = 20): FieldType => ({ kind: 'text', most });
const to = (name: string): FieldType => ({
  kind: 'lookup',
  table: `t_${name}`,
  shows: null,
  onDelete: 'refuse',
});

/** Suppliers, parts and shipments after C. J. Date, with a number and a day for each shipment. */
export const SUPPLIER_TABLES: readonly Change[] = [
  {
    change: 'addTable',
    table: table('supplier', [
      field('sNo', 'code', text(3)),
      field('sName', 'name', text()),
      field('sStatus', 'status', { kind: 'wholeNumber' }),
      field('sCity', 'city', text()),
    ]),
  },
  {
    change: 'addTable',
    table: table('part', [
      field('pNo', 'code', text(3)),
      field('pName', 'name', text()),
      field('pColour', 'colour', text()),
      field('pWeight', 'weight', { kind: 'decimal', places: 1 }),
      field('pCity', 'city', text()),
    ]),
  },
  {
    change: 'addTable',
    table: table('shipment', [
      field('nNo', 'number', number),
      field('nSupplier', 'supplier', to('supplier')),
      field('nPart', 'part', to('part')),
      field('nQuantity', 'quantity', { kind: 'wholeNumber' }),
      field('nDay', 'day', { kind: 'date' }),
    ]),
  },
];

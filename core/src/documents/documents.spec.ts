import { applyChanges } from '../change';
import {
  definitionsOf,
  designFrom,
  DOCUMENT_LISTS,
  documentsOf,
  doubledIds,
  findDocument,
  idOwners,
  idsOfTable,
  idsUsed,
  LISTS,
  listOfType,
  readDesign,
  validateTables,
  withDocuments,
} from '../design';
import { differences, fromFolder, toFolder } from '../exchange';
import { dependantsOf } from './dependants';
import { documentProblems, sortOf } from './sorts';
import { FULL, QUERY } from './testing/full';

/** What holds for documents of every type there is, and for any that comes. */
describe('documents', () => {
  it('of every type are in the example, and all of them work', () => {
    const types = DOCUMENT_LISTS.map((name) => LISTS[name].entries.type.literal);
    expect(new Set(documentsOf(FULL).map(({ type }) => type))).toEqual(new Set(types));
    for (const document of documentsOf(FULL))
      expect(documentProblems(FULL, document)).withContext(document.label).toEqual([]);
  });

  it('are kept one by one and read back whole', () => {
    const { version, ...parts } = FULL;
    expect(designFrom(definitionsOf(FULL))).toEqual(parts);
    expect(readDesign(JSON.parse(JSON.stringify(FULL)))).toEqual({ version, ...parts });
    const read = fromFolder(toFolder(FULL));
    expect(read).toEqual({ ok: true, design: parts });
  });

  for (const document of documentsOf(FULL)) {
    const { id, type, label } = document;
    describe(`such as the ${type} ${label}`, () => {
      it('are dropped and put back, and told apart', () => {
        const without = applyChanges(FULL, [{ change: 'dropDocument', document: id }]);
        expect(findDocument(without, id)).toBeUndefined();
        expect(documentsOf(without).length).toBe(documentsOf(FULL).length - 1);
        const renamed = { ...document, label: 'Something else' };
        const changed = applyChanges(FULL, [{ change: 'putDocument', document: renamed }]);
        expect(changed[listOfType(type)].findIndex((item) => item.id === id)).toBe(
          FULL[listOfType(type)].findIndex((item) => item.id === id),
        );
        for (const [from, to] of [
          [FULL, without],
          [FULL, changed],
          [without, FULL],
        ] as const) {
          const changes = differences(from, to);
          expect(changes.length).toBe(1);
          const reached = applyChanges(from, changes);
          expect(new Set(documentsOf(reached))).toEqual(new Set(documentsOf(to)));
        }
      });

      it('say how they use what they name, and can be without it', () => {
        const sort = sortOf(document);
        const named = idsUsed(document);
        for (const table of FULL.tables) {
          const gone = idsOfTable(table);
          const used = [...gone].some((other) => named.has(other));
          const use = sort.use(document, gone);
          expect(use !== null)
            .withContext(`uses ${table.label}`)
            .toBe(used);
          const found = dependantsOf(FULL, gone).find((dependant) => dependant.id === id);
          expect(found?.kind).toBe(used ? type : undefined);
          const next = sort.without(document, gone);
          if (next === null) expect(use).not.toBeNull();
          else expect([...idsUsed(next)].filter((other) => gone.has(other))).toEqual([]);
        }
        const nothing = new Set(['t_nothing']);
        expect(sort.use(document, nothing)).toBeNull();
        expect(sort.without(document, nothing)).toEqual(document);
        expect(sort.tidy?.(document) ?? document).toEqual(document);
      });
    });
  }
});

describe('ids', () => {
  const owners = idOwners(FULL);

  it('are of one thing each in the example, and of every sort there is', () => {
    expect(doubledIds(FULL)).toEqual([]);
    expect(new Set(owners.map(({ type }) => type))).toEqual(
      new Set(['settings', 'table', 'field', 'rule', 'query', 'form', 'board', 'report', 'role']),
    );
  });

  for (const { id, words, type } of owners) {
    it(`are not taken twice: that of ${words}`, () => {
      const query = { ...QUERY, id, label: 'Another' };
      const doubled = withDocuments(FULL, (list) =>
        list.some((item) => item.type === 'query') ? [...list, query as never] : list,
      );
      const [problem] = validateTables(doubled);
      expect(problem?.message).toContain(`(${id})`);
      const field = { ...FULL.tables[0]!.fields[1]!, id, name: 'another', label: 'Another' };
      const [first, ...rest] = FULL.tables;
      const fields = { ...FULL, tables: [{ ...first!, fields: [...first!.fields, field] }, ...rest] };
      expect(validateTables(fields).some(({ message }) => message.includes(`(${id})`))).toBeTrue();
      const read = fromFolder(
        toFolder(doubled).map((file, i) => ({ ...file, path: file.path.replace('.json', `${i}.json`) })),
      );
      expect(read.ok).withContext(type).toBeFalse();
    });
  }
});

import { TestBed } from '@angular/core/testing';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { DOCUMENT_LISTS, documentsOf, LISTS, type DesignDocument } from '@heathridge/core/design';
import { BRITISH } from '@heathridge/core/values';
import { FULL } from '../../../../core/src/documents/testing/full';
import { setUp } from '../testing/bench';
import { ClashDialog, WORDS, type Clash } from './clash.dialog';

/** What a person who has changed a document is told of that of somebody else. */
async function told(mine: DesignDocument, document: DesignDocument): Promise<string> {
  const data: Clash = {
    mine,
    theirs: { document, version: 2, by: 'Bo', at: '2026-11-28T09:00:00Z' } as Clash['theirs'],
    locale: BRITISH,
  };
  setUp([
    { provide: MAT_DIALOG_DATA, useValue: data },
    { provide: MatDialogRef, useValue: {} },
  ]);
  const fixture = TestBed.createComponent(ClashDialog);
  await fixture.whenStable();
  return (fixture.nativeElement as HTMLElement).textContent;
}

describe('ClashDialog', () => {
  it('has a name for every part in which two versions of a document can differ', () => {
    for (const list of DOCUMENT_LISTS)
      for (const part of Object.keys(LISTS[list].entries))
        if (part !== 'type' && part !== 'id')
          expect(WORDS[part]).withContext(`${part} of ${list}`).toBeDefined();
  });

  for (const document of documentsOf(FULL)) {
    const parts = Object.keys(document).filter((part) => part !== 'type' && part !== 'id');
    it(`tells what differs in the ${document.type} ${document.label}, whatever it is`, async () => {
      for (const part of parts) {
        const other = {
          ...document,
          [part]: 'Another',
        } as unknown as DesignDocument;
        expect(await told(other, document))
          .withContext(part)
          .toContain(WORDS[part]!);
        TestBed.resetTestingModule();
      }
      expect(await told(document, document)).not.toContain('What differs');
    });
  }
});

import { createPart, themeQuartz } from 'ag-grid-community';

/** What cells and rows are marked with, see the columns' `cellClassRules`. */
const CELLS = `
.ag-cell.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}

.number-head .ag-header-cell-label {
  flex-direction: row-reverse;
}

.ag-cell.lookup {
  color: var(--hr-heather-deep);
}

.ag-cell.given {
  color: var(--hr-soft);
}

.ag-cell.coloured {
  box-shadow: inset 4px 0 0 var(--hr-choice);
}

.ag-cell.picked {
  background-color: var(--hr-heather-tint);
}
.ag-cell.refused {
  background: var(--hr-rust-tint);
  color: var(--hr-rust-deep);
  box-shadow: inset 0 0 0 1px var(--hr-rust);
}

.ag-cell.faulty {
  color: var(--hr-rust-deep);
  font-style: italic;
}

.ag-cell.led {
  color: var(--hr-soft);
}

.ag-cell.unfolds {
  cursor: pointer;
}

.ag-cell.unfolds::before {
  content: '▸' / '';
  display: inline-block;
  width: 14px;
  color: var(--hr-heather-deep);
}

.ag-cell.unfolded::before {
  content: '▾' / '';
}

/* The picture of a row that is led to, and what that shows. */
.ag-cell .pictured {
  display: flex;
  gap: 8px;
  align-items: center;
  height: 100%;
}
.ag-cell .pictured .small-picture {
  margin-block: 0;
}
/* A picture of a row, as high as the row is. */
.ag-cell .small-picture {
  display: block;
  height: calc(var(--hr-row) - 4px);
  max-width: 100%;
  margin-block: 2px;
  object-fit: contain;
  border-radius: 3px;
}

.ag-row.changed {
  font-style: italic;
}

/* What its cells do has a name for who listens; who looks sees it in them. */
.only-heard .ag-header-cell-label {
  opacity: 0;
}

/* What is unfolded is drawn by its first line, over all the others. */
.ag-row.beneath {
  overflow: visible;
  z-index: 1;
  border-color: transparent;
  background: var(--hr-paper);
}

.ag-row.beneath-rest {
  visibility: hidden;
}

.ag-row-pinned {
  background: var(--hr-moss-faint);
  font-weight: 400;
}

.ag-cell-inline-editing {
  padding: 0;
  height: var(--hr-row);
}

.ag-cell-inline-editing:has(textarea) {
  height: auto;
  z-index: 2;
}

/* A scroll bar that the system lays over the rows hides none of them. */
.ag-scrollbar-invisible .ag-body-horizontal-scroll-viewport,
.ag-scrollbar-invisible .ag-body-vertical-scroll-viewport {
  background: none;
}
`;

/** How the grid looks: its own theming, with the colours and the density of the pages. */
export const GRID_THEME = themeQuartz
  .withParams({
    accentColor: 'var(--hr-moss)',
    backgroundColor: 'var(--hr-paper)',
    foregroundColor: 'var(--hr-ink)',
    borderColor: 'var(--hr-line)',
    headerBackgroundColor: 'var(--hr-ground)',
    headerTextColor: 'var(--hr-soft)',
    fontFamily: "'Atkinson Hyperlegible', sans-serif",
    fontSize: 'var(--hr-text-base)',
    rowHeight: 'var(--hr-row)',
    headerHeight: 'calc(var(--hr-row) + 2px)',
    cellHorizontalPadding: 10,
    wrapperBorderRadius: 0,
    wrapperBorder: false,
    browserColorScheme: 'inherit',
    columnBorder: { color: 'var(--hr-faint)' },
    selectedRowBackgroundColor: 'var(--hr-moss-tint)',
  })
  .withPart(
    createPart({
      feature: 'hrCells',
      css: CELLS,
    }),
  );

import { afterRenderEffect, Component, input, output, viewChild } from '@angular/core';
import { MatIconModule } from '@angular/material/icon';
import { MatTreeModule, type MatTree } from '@angular/material/tree';

/** A band of a report, or what stands in one. */
export interface OutlineNode {
  readonly id: string;
  readonly label: string;
  readonly tag?: string;
  /** The column it stands for, where it can be picked. */
  readonly column?: string;
  readonly children: OutlineNode[];
}

/** What a report consists of, as a tree in the order of the paper. Columns can be picked in it. */
@Component({
  selector: 'hr-outline',
  imports: [MatIconModule, MatTreeModule],
  template: `
    <mat-tree
      #tree
      aria-label="Outline of the report"
      [dataSource]="nodes()"
      [childrenAccessor]="below"
      [expansionKey]="key"
      [trackBy]="track"
    >
      <mat-tree-node
        *matTreeNodeDef="let node; when: isBand"
        matTreeNodePadding
        matTreeNodePaddingIndent="14"
        matTreeNodeToggle
        class="band"
      >
        <mat-icon svgIcon="chevron_right" aria-hidden="true" [class.down]="tree.isExpanded(node)" />
        <span class="cut">{{ node.label }}</span>
      </mat-tree-node>
      <mat-tree-node
        *matTreeNodeDef="let node"
        matTreeNodePadding
        matTreeNodePaddingIndent="24"
        [class.column]="node.column"
        [class.picked]="node.column && node.column === picked()"
        [isDisabled]="!node.column"
        [attr.aria-selected]="node.column ? node.column === picked() : null"
        (click)="pick(node)"
        (activation)="pick(node)"
      >
        <span class="cut grow" dir="auto">{{ node.label }}</span>
        @if (node.tag) {
          <span class="tag heather">{{ node.tag }}</span>
        }
      </mat-tree-node>
    </mat-tree>
  `,
  styles: `
    :host {
      display: block;
      padding: 8px 10px 24px;
      border-top: 1px solid var(--hr-line);
    }
    mat-tree-node {
      gap: 6px;
      border: 1px solid transparent;
      border-radius: var(--hr-corner);
      padding-right: 6px;
    }
    mat-tree-node:focus-visible {
      outline: 2px solid var(--hr-moss);
      outline-offset: -2px;
    }
    .band {
      font-weight: 700;
      cursor: pointer;

      mat-icon {
        flex: none;
        width: 18px;
        height: 18px;
        font-size: 18px;
        color: var(--hr-soft);
      }

      .down {
        rotate: 90deg;
      }
    }
    .column {
      cursor: pointer;

      &:hover {
        background: var(--hr-shade);
      }
    }
    mat-tree-node.picked {
      border-color: var(--hr-heather);
      background: var(--hr-heather-tint);
    }
  `,
})
export class OutlineComponent {
  readonly nodes = input.required<OutlineNode[]>();
  /** The column that is picked. */
  readonly picked = input<string | null>(null);
  readonly columnPicked = output<string | null>();
  private readonly tree = viewChild.required<MatTree<OutlineNode, string>>('tree');
  /** Bands that have been seen: they begin open, and stay as somebody leaves them. */
  private readonly seen = new Set<string>();

  readonly below = ({ children }: OutlineNode): OutlineNode[] => children;
  readonly key = ({ id }: OutlineNode): string => id;
  readonly track = (_: number, { id }: OutlineNode): string => id;
  readonly isBand = (_: number, { children }: OutlineNode): boolean => children.length > 0;

  constructor() {
    afterRenderEffect(() => {
      const open = (node: OutlineNode): void => {
        if (node.children.length > 0 && !this.seen.has(node.id)) {
          this.seen.add(node.id);
          this.tree().expand(node);
        }
        node.children.forEach(open);
      };
      this.nodes().forEach(open);
    });
  }

  pick({ column }: OutlineNode): void {
    if (column !== undefined) this.columnPicked.emit(this.picked() === column ? null : column);
  }
}

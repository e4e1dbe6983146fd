import { SegmentsComponent } from '../shared/segments.component';
import { DocumentsComponent } from './documents.component';
import { HeadingComponent } from './heading.component';
import { NothingComponent } from './nothing.component';
import { StepsComponent } from './steps.component';

/** What pages are made of on which one document out of a list is edited. */
export const DOCUMENT_PARTS = [
  DocumentsComponent,
  HeadingComponent,
  NothingComponent,
  SegmentsComponent,
  StepsComponent,
] as const;

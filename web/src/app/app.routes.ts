import type { Routes } from '@angular/router';
import { leaveGuard } from './shared/leave.guard';
import { signedIn } from './shared/session.service';

export const routes: Routes = [
  {
    path: 'sign-in',
    title: 'Sign in · Heathridge',
    loadComponent: () => import('./pages/sign-in.component').then((m) => m.SignInComponent),
  },
  {
    path: 'files',
    title: 'Files · Heathridge',
    canActivate: [signedIn],
    loadComponent: () => import('./pages/files.component').then((m) => m.FilesComponent),
  },
  {
    path: 'file/:file',
    canActivate: [signedIn],
    loadComponent: () => import('./bench/bench.component').then((m) => m.BenchComponent),
    children: [
      {
        path: 'plan',
        title: 'Plan · Heathridge',
        loadComponent: () => import('./plan/plan.component').then((m) => m.PlanComponent),
      },
      {
        path: 'fill/bring',
        title: 'Bring in · Heathridge',
        loadComponent: () => import('./bring/bring.component').then((m) => m.BringComponent),
      },
      {
        path: 'fill',
        title: 'Fill · Heathridge',
        loadComponent: () => import('./fill/fill.component').then((m) => m.FillComponent),
      },
      {
        path: 'query',
        title: 'Query · Heathridge',
        canDeactivate: [leaveGuard],
        loadComponent: () => import('./query/query.component').then((m) => m.QueryComponent),
      },
      {
        path: 'screens/boards',
        title: 'Boards · Heathridge',
        canDeactivate: [leaveGuard],
        loadComponent: () => import('./boards/boards.component').then((m) => m.BoardsComponent),
      },
      {
        path: 'screens',
        title: 'Screens · Heathridge',
        canDeactivate: [leaveGuard],
        loadComponent: () => import('./screens/screens.component').then((m) => m.ScreensComponent),
      },
      {
        path: 'print',
        title: 'Print · Heathridge',
        canDeactivate: [leaveGuard],
        loadComponent: () => import('./print/print.component').then((m) => m.PrintComponent),
      },
      {
        path: 'people',
        title: 'People · Heathridge',
        canDeactivate: [leaveGuard],
        loadComponent: () => import('./people/people.component').then((m) => m.PeopleComponent),
      },
      { path: '', pathMatch: 'full', redirectTo: 'plan' },
    ],
  },
  {
    path: 'desk/:file',
    canActivate: [signedIn],
    title: 'Desk · Heathridge',
    loadComponent: () => import('./desk/desk.component').then((m) => m.DeskComponent),
    children: [
      { path: 'today', loadComponent: () => import('./desk/today.component').then((m) => m.TodayComponent) },
      {
        path: 'screen/:screen',
        canDeactivate: [leaveGuard],
        loadComponent: () => import('./desk/record-page.component').then((m) => m.RecordPageComponent),
      },
      {
        path: 'list/:screen',
        canDeactivate: [leaveGuard],
        loadComponent: () => import('./lists/list-page.component').then((m) => m.ListPageComponent),
      },
      {
        path: 'board/:board',
        canDeactivate: [leaveGuard],
        loadComponent: () => import('./boards/board-page.component').then((m) => m.BoardPageComponent),
      },
      { path: '', pathMatch: 'full', redirectTo: 'today' },
    ],
  },
  { path: '', pathMatch: 'full', redirectTo: 'files' },
  {
    path: '**',
    title: 'Not found · Heathridge',
    loadComponent: () => import('./pages/not-found.component').then((m) => m.NotFoundComponent),
  },
];

/**
 * Gives an engine that lacks the standard calendar (ECMA-262's `Temporal`) one by a polyfill; leaves others alone.
 * The core takes it as given: each program imports this first, and pages only where the browser needs it.
 */
import 'temporal-polyfill/global';

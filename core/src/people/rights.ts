/** A role in a file: the builder makes it, colleagues use what she put on the Desk. */
export type Role = 'builder' | 'colleague';

/** Who may call a route. */
export type Need = 'anyone' | 'signed-in' | Role;

/**
 * Whether somebody with this role in the file at hand (null: none, or no file) may call a route. A
 * builder may do all that a colleague may.
 */
export function mayCall(need: Need, signedIn: boolean, role: Role | null): boolean {
  switch (need) {
    case 'anyone':
      return true;
    case 'signed-in':
      return signedIn;
    case 'colleague':
      return signedIn && role !== null;
    case 'builder':
      return signedIn && role === 'builder';
  }
}

import { mayCall, type Need, type Role } from './rights';

describe('mayCall', () => {
  // Rows: who asks. Columns: what the route needs.
  const NEEDS: Need[] = ['anyone', 'signed-in', 'colleague', 'builder'];
  const table: [who: string, signedIn: boolean, role: Role | null, allowed: boolean[]][] = [
    ['a stranger', false, null, [true, false, false, false]],
    ['somebody without a role in the file', true, null, [true, true, false, false]],
    ['a colleague', true, 'colleague', [true, true, true, false]],
    ['the builder', true, 'builder', [true, true, true, true]],
    ['a role without a session', false, 'builder', [true, false, false, false]],
  ];
  for (const [who, signedIn, role, allowed] of table) {
    it(`for ${who}`, () => expect(NEEDS.map((need) => mayCall(need, signedIn, role))).toEqual(allowed));
  }
});

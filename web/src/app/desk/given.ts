/** What an address says that fields hold, by their ids, in JSON; nothing where it says none of that. */
export function givenIn(text: string): Record<string, string | number> {
  try {
    const given: unknown = JSON.parse(text);
    if (typeof given !== 'object' || given === null) return {};
    return Object.fromEntries(
      Object.entries(given).filter(([, value]) => typeof value === 'string' || typeof value === 'number'),
    ) as Record<string, string | number>;
  } catch {
    // Any other text says nothing of fields.
    return {};
  }
}

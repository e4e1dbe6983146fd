/** What an address says that fields hold, by their ids, in JSON; nothing where it says none of that. */
export function givenIn(text: string): Record<string, string | number | boolean> {
  try {
    const given: unknown = JSON.parse(text);
    if (typeof given !== 'object' || given === null) return {};
    const kinds = ['string', 'number', 'boolean'];
    return Object.fromEntries(
      Object.entries(given).filter(([, value]) => kinds.includes(typeof value)),
    ) as Record<string, string | number | boolean>;
  } catch {
    // Any other text says nothing of fields.
    return {};
  }
}

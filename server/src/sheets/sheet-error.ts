/** Why a sheet cannot be read or brought in, in words for the person who sent it. */
export class SheetError extends Error {}

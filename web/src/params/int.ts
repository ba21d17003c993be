import type { ParamMatcher } from '@sveltejs/kit';

const MOST_DIGITS = 15; // a whole number that a browser holds exactly

/** An id in an address; anything else names nothing. */
export const match: ParamMatcher = (told) => /^\d+$/.test(told) && told.length <= MOST_DIGITS;

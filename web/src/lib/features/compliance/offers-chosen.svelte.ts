/** The volumes that are chosen to be set, for the table and the margin beside it. */
class OffersChosen {
  ids = $state.raw<ReadonlySet<number>>(new Set());
}

export const offersChosen = new OffersChosen();

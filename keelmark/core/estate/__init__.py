"""The estate as columns: what lists, totals, strata and siftings stand on."""

package geom

// Between is where a value of 0 to 1 lies in a table of n entries: the entry before it, and the share of the way to the
// next. What lies outside is at an end.
func Between(x float64, n int) (i int, share float64) {
	x = min(max(x, 0), 1) * float64(n-1)
	i = min(int(x), n-2)
	return i, x - float64(i)
}

// Row reads a table over 0 to 1 between its entries.
func Row(table []float64, x float64) float64 {
	i, share := Between(x, len(table))
	return table[i] + (table[i+1]-table[i])*share
}

package text

// Distance counts the slips between two words: letters added, left out,
// changed, or two neighbours swapped (optimal string alignment).
func Distance(a, b string) int {
	ra, rb := []rune(a), []rune(b)
	older, old := make([]int, len(rb)+1), make([]int, len(rb)+1)
	for j := range old {
		old[j] = j
	}
	for i := 1; i <= len(ra); i++ {
		row := make([]int, len(rb)+1)
		row[0] = i
		for j := 1; j <= len(rb); j++ {
			cost := 1
			if ra[i-1] == rb[j-1] {
				cost = 0
			}
			row[j] = min(old[j]+1, row[j-1]+1, old[j-1]+cost)
			if i > 1 && j > 1 && ra[i-1] == rb[j-2] && ra[i-2] == rb[j-1] {
				row[j] = min(row[j], older[j-2]+1)
			}
		}
		older, old = old, row
	}
	return old[len(rb)]
}

package knowledge

import (
	"cmp"
	"container/heap"
	"slices"
)

// top keeps the n values with the highest scores.
type top[T any] struct {
	n     int
	items scored[T]
}

type item[T any] struct {
	value T
	score float64
	order int // of arrival: of equal scores the first counts more
}

type scored[T any] []item[T]

func (s scored[T]) Len() int           { return len(s) }
func (s scored[T]) Less(i, j int) bool { return s[i].compare(s[j]) > 0 }
func (s scored[T]) Swap(i, j int)      { s[i], s[j] = s[j], s[i] }
func (s *scored[T]) Push(x any)        { *s = append(*s, x.(item[T])) }
func (s *scored[T]) Pop() any {
	last := (*s)[len(*s)-1]
	*s = (*s)[:len(*s)-1]
	return last
}

// compare sorts the better item first.
func (a item[T]) compare(b item[T]) int {
	return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(a.order, b.order))
}

// takes reports whether a score would be kept.
func (t *top[T]) takes(score float64) bool {
	return len(t.items) < t.n || t.n > 0 && score > t.items[0].score
}

func (t *top[T]) add(value T, score float64) {
	if !t.takes(score) {
		return
	}
	if len(t.items) == t.n {
		t.items[0] = item[T]{value, score, t.items[0].order}
		heap.Fix(&t.items, 0)
		return
	}
	heap.Push(&t.items, item[T]{value, score, len(t.items)})
}

// sorted returns what was kept, best first.
func (t *top[T]) sorted() []item[T] {
	slices.SortFunc(t.items, item[T].compare)
	return t.items
}

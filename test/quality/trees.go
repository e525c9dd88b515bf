package main

import (
	"math"
	"math/rand/v2"
	"slices"

	"urgentparrot.example/internal/core/answer"
)

// Trees are grown by stochastic gradient boosting (Friedman, 2002): each on a part of the
// situations, towards what the sum and the trees before leave over.
const (
	trees     = 120
	rate      = 0.05
	leaves    = 6
	leafLeast = 40.0 // situations in a leaf
	leafDraw  = 5.0  // draws the values of small leaves to 0
	taken     = 0.6  // share of the situations for a tree
)

// grow returns trees that, added to sums, tell which situations are right.
func grow(rows [][]float64, right []bool, weights, sums []float64) []answer.Tree {
	random := rand.New(rand.NewPCG(3, 5))
	sums = slices.Clone(sums)
	pulls, bends := make([]float64, len(rows)), make([]float64, len(rows))
	var grown []answer.Tree
	for range trees {
		var chosen []int
		for i := range rows {
			chance := 1 / (1 + math.Exp(-sums[i]))
			pulls[i], bends[i] = -weights[i]*chance, weights[i]*chance*(1-chance)
			if right[i] {
				pulls[i] += weights[i]
			}
			if random.Float64() < taken {
				chosen = append(chosen, i)
			}
		}
		tree := growOne(rows, pulls, bends, chosen)
		grown = append(grown, tree)
		for i, row := range rows {
			sums[i] += tree.Walk(row)
		}
	}
	return grown
}

// A twig is a leaf that may yet be split.
type twig struct {
	node    int
	members []int
	gain    float64
	feature int
	bound   float64
}

func growOne(rows [][]float64, pulls, bends []float64, members []int) answer.Tree {
	tree := answer.Tree{{Value: leafValue(pulls, bends, members)}}
	twigs := []twig{split(rows, pulls, bends, members, 0)}
	for n := 1; n < leaves; n++ {
		best := -1
		for i, t := range twigs {
			if t.gain > 1e-6 && (best < 0 || t.gain > twigs[best].gain) {
				best = i
			}
		}
		if best < 0 {
			break
		}
		t := twigs[best]
		var below, others []int
		for _, i := range t.members {
			if rows[i][t.feature] < t.bound {
				below = append(below, i)
			} else {
				others = append(others, i)
			}
		}
		at := len(tree)
		tree = append(tree, answer.Node{Value: leafValue(pulls, bends, below)}, answer.Node{Value: leafValue(pulls, bends, others)})
		tree[t.node] = answer.Node{Feature: t.feature, Bound: t.bound, Below: at, Else: at + 1}
		twigs[best] = split(rows, pulls, bends, below, at)
		twigs = append(twigs, split(rows, pulls, bends, others, at+1))
	}
	return tree
}

func leafValue(pulls, bends []float64, members []int) float64 {
	var pull, bend float64
	for _, i := range members {
		pull, bend = pull+pulls[i], bend+bends[i]
	}
	return math.Round(rate*pull/(bend+leafDraw)*1e5) / 1e5
}

// split finds the feature and the bound that part some situations best.
func split(rows [][]float64, pulls, bends []float64, members []int, node int) twig {
	best := twig{node: node, members: members}
	var allPull, allBend float64
	for _, i := range members {
		allPull, allBend = allPull+pulls[i], allBend+bends[i]
	}
	whole := allPull * allPull / (allBend + leafDraw)
	order := slices.Clone(members)
	for f := range rows[0] {
		slices.SortFunc(order, func(a, b int) int {
			switch {
			case rows[a][f] < rows[b][f]:
				return -1
			case rows[a][f] > rows[b][f]:
				return 1
			}
			return a - b
		})
		var pull, bend float64
		for n := 0; n+1 < len(order); n++ {
			i := order[n]
			pull, bend = pull+pulls[i], bend+bends[i]
			here, next := rows[i][f], rows[order[n+1]][f]
			if here == next || float64(n+1) < leafLeast || float64(len(order)-n-1) < leafLeast {
				continue
			}
			gain := pull*pull/(bend+leafDraw) + (allPull-pull)*(allPull-pull)/(allBend-bend+leafDraw) - whole
			if gain > best.gain {
				best.gain, best.feature, best.bound = gain, f, math.Round((here+next)/2*1e5)/1e5
			}
		}
	}
	return best
}

package answer

import "encoding/json"

// A Tree asks one feature after another and gives a number. Trees are added to a weighted
// sum of features where the features work together: a word that is lacking counts little
// where the checker is sure, and much where it is not.
type Tree []Node

// A Node asks whether a feature lies below a bound, or is a leaf.
type Node struct {
	Feature     int // its place in Features.Values
	Bound       float64
	Below, Else int     // places of the next nodes; both 0: a leaf
	Value       float64 // of a leaf
}

// Leaf reports whether the node ends the tree.
func (n Node) Leaf() bool { return n.Below == 0 && n.Else == 0 }

// Walk returns what the tree gives for the features, in the order of Features.Values.
func (t Tree) Walk(features []float64) float64 {
	at := 0
	for !t[at].Leaf() {
		if n := t[at]; features[n.Feature] < n.Bound {
			at = n.Below
		} else {
			at = n.Else
		}
	}
	return t[at].Value
}

// MarshalJSON writes a node as a short list.
func (n Node) MarshalJSON() ([]byte, error) {
	if n.Leaf() {
		return json.Marshal([]float64{n.Value})
	}
	return json.Marshal([]float64{float64(n.Feature), n.Bound, float64(n.Below), float64(n.Else)})
}

// UnmarshalJSON reads it.
func (n *Node) UnmarshalJSON(raw []byte) error {
	var list []float64
	if err := json.Unmarshal(raw, &list); err != nil {
		return err
	}
	if len(list) == 4 {
		*n = Node{Feature: int(list[0]), Bound: list[1], Below: int(list[2]), Else: int(list[3])}
	} else if len(list) == 1 {
		n.Value = list[0]
	}
	return nil
}

// A Chance is how likely something is by the features of the first passage: the logistic
// function of a weighted sum and of what trees add to it.
type Chance struct {
	Weights Features `json:"weights"`
	Bias    float64  `json:"bias"`
	Trees   []Tree   `json:"trees,omitempty"`
}

func (c *Chance) of(f *Features) float64 {
	sum := c.Bias + c.Weights.dot(*f)
	values := f.Values()
	for _, tree := range c.Trees {
		sum += tree.Walk(values[:])
	}
	return logistic(sum)
}

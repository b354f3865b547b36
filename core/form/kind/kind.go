// Package kind is the form in which every closed list of the product is kept: a
// door, a right, a letter, an event, a preview, a kind of item, a state. One
// descriptor for each member, in the order in which people see them; the API's
// enums, the types of the interface and the choices on screen are made from it,
// and the database has no second list.
package kind

import "fmt"

// Words are what every descriptor has: the stable name by which programs know it
// and it is kept, and what people read.
type Words struct {
	Word    string `json:"word"`    // as a label, such as "Guest book"
	Means   string `json:"means"`   // one sentence for whoever chooses it
	Offered bool   `json:"offered"` // whether it can be chosen on screen
}

// A List is all members of one kind, in order.
type List[K ~string, D any] struct {
	order []K
	by    map[K]D
}

// Of makes a list of descriptors; name tells the name of each. It panics where a
// name is empty or comes twice, which the first test of any package would show.
func Of[K ~string, D any](name func(D) K, all ...D) List[K, D] {
	l := List[K, D]{by: make(map[K]D, len(all))}
	for _, d := range all {
		k := name(d)
		if _, twice := l.by[k]; twice || k == "" {
			panic(fmt.Sprintf("kind %q is described twice or has no name", k))
		}
		l.order, l.by[k] = append(l.order, k), d
	}
	return l
}

// Names are the stable names, in order.
func (l List[K, D]) Names() []K { return l.order[:len(l.order):len(l.order)] }

// Has reports whether k is one of the kinds.
func (l List[K, D]) Has(k K) bool {
	_, ok := l.by[k]
	return ok
}

// Get is the descriptor of k, and its zero value for what is none.
func (l List[K, D]) Get(k K) D { return l.by[k] }

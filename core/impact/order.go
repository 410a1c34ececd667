package impact

import (
	"cmp"
	"slices"

	"gonum.org/v1/gonum/graph/simple"
	"gonum.org/v1/gonum/graph/topo"

	"roster/core/android"
)

// Order puts what goes into the order of removal, by links of one phone or of
// several: whatever rests on another before it, ties by name. Packages that
// rest on each other in a circle go as one group.
func Order(links []Link, goes []android.PackageName) [][]android.PackageName {
	names := slices.Clone(goes)
	slices.Sort(names)
	names = slices.Compact(names)
	number := make(map[android.PackageName]int64, len(names))
	graph := simple.NewDirectedGraph()
	for i, name := range names {
		number[name] = int64(i)
		graph.AddNode(simple.Node(i))
	}
	for _, l := range links {
		from, ok1 := number[l.From]
		on, ok2 := number[l.On]
		if ok1 && ok2 && l.Kind != SharedUID {
			graph.SetEdge(graph.NewEdge(simple.Node(from), simple.Node(on)))
		}
	}
	var groups [][]android.PackageName
	of := make([]int, len(names))
	for _, component := range topo.TarjanSCC(graph) {
		var group []android.PackageName
		for _, node := range component {
			group = append(group, names[node.ID()])
			of[node.ID()] = len(groups)
		}
		slices.Sort(group)
		groups = append(groups, group)
	}
	// Kahn's algorithm over the groups, always the first by name of those that
	// nothing left rests on.
	waits, next := make([]int, len(groups)), make([]map[int]bool, len(groups))
	for edges := graph.Edges(); edges.Next(); {
		a, b := of[edges.Edge().From().ID()], of[edges.Edge().To().ID()]
		if a == b || next[a][b] {
			continue
		}
		if next[a] == nil {
			next[a] = map[int]bool{}
		}
		next[a][b] = true
		waits[b]++
	}
	var ready []int
	for g := range groups {
		if waits[g] == 0 {
			ready = append(ready, g)
		}
	}
	out := make([][]android.PackageName, 0, len(groups))
	for len(ready) > 0 {
		first := slices.MinFunc(ready, func(a, b int) int { return cmp.Compare(groups[a][0], groups[b][0]) })
		ready = slices.DeleteFunc(ready, func(g int) bool { return g == first })
		out = append(out, groups[first])
		for g := range next[first] {
			if waits[g]--; waits[g] == 0 {
				ready = append(ready, g)
			}
		}
	}
	return out
}

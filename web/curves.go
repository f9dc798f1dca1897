package web

import (
	"sync"

	"blendseam/core/blend"
)

// Gains are sampled at so many places, and for so many bends: what pages draw of laws and shapes is read from that.
const (
	curvePlaces = 48
	curveBends  = 16
)

// A lawView is a law as pages draw it.
type lawView struct {
	blend.LawInfo
	Out []float64 `json:"out"`
	In  []float64 `json:"in"`
}

// A shapeView is a shape as pages draw it: its gains by bend, from -1 to 1.
type shapeView struct {
	blend.ShapeInfo
	Samples [][]float64 `json:"samples"`
}

var lawViews = sync.OnceValue(func() (list []lawView) {
	for _, l := range blend.Laws {
		out, in := l.Samples(curvePlaces)
		list = append(list, lawView{l, out, in})
	}
	return list
})

var shapeViews = sync.OnceValue(func() (list []shapeView) {
	for _, s := range blend.Shapes {
		list = append(list, shapeView{s, s.Samples(curvePlaces, curveBends)})
	}
	return list
})

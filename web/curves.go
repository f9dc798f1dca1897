package web

import (
	"sync"

	"blendseam/core/sound/blend"
)

// Gains are sampled at so many places, and for so many bends: what pages draw of laws and shapes is read from that.
const (
	curvePlaces = 48
	curveBends  = 16
)

// A LawView is a law as pages draw it.
type LawView struct {
	blend.LawInfo `tstype:",extends"`
	Out           []float64 `json:"out"`
	In            []float64 `json:"in"`
}

// A ShapeView is a shape as pages draw it: its gains by bend, from -1 to 1.
type ShapeView struct {
	blend.ShapeInfo `tstype:",extends"`
	Samples         [][]float64 `json:"samples"`
}

var lawViews = sync.OnceValue(func() (list []LawView) {
	for _, l := range blend.Laws {
		out, in := l.Samples(curvePlaces)
		list = append(list, LawView{l, out, in})
	}
	return list
})

var shapeViews = sync.OnceValue(func() (list []ShapeView) {
	for _, s := range blend.Shapes {
		list = append(list, ShapeView{s, s.Samples(curvePlaces, curveBends)})
	}
	return list
})

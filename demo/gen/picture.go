package main

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"math"
	"os/exec"

	"golang.org/x/image/vector"
)

// The pictures are flat paper shapes, so that a mouth can be read at the size of a thumb.
const width, height = 512, 288

type canvas struct{ *image.RGBA }

func paint(hex uint32) color.Color {
	return color.RGBA{uint8(hex >> 16), uint8(hex >> 8), uint8(hex), 255}
}

// fill paints a path, given beside the corner of the box that holds it.
func (c canvas) fill(col color.Color, box image.Rectangle, path func(r *vector.Rasterizer, x, y float64)) {
	box = box.Intersect(c.Bounds())
	r := vector.NewRasterizer(box.Dx(), box.Dy())
	r.DrawOp = draw.Over
	path(r, float64(box.Min.X), float64(box.Min.Y))
	r.Draw(c.RGBA, box, image.NewUniform(col), image.Point{})
}

func (c canvas) ellipse(col color.Color, x, y, rx, ry float64) {
	box := image.Rect(int(x-rx)-1, int(y-ry)-1, int(x+rx)+2, int(y+ry)+2)
	c.fill(col, box, func(r *vector.Rasterizer, x0, y0 float64) {
		const k = 0.5523 // of a circle's radius: the arms of the four curves that come nearest to it
		p := func(dx, dy float64) (float32, float32) { return float32(x - x0 + dx*rx), float32(y - y0 + dy*ry) }
		cube := func(ax, ay, bx, by, cx, cy float64) {
			a, b := p(ax, ay)
			d, e := p(bx, by)
			f, g := p(cx, cy)
			r.CubeTo(a, b, d, e, f, g)
		}
		r.MoveTo(p(1, 0))
		cube(1, k, k, 1, 0, 1)
		cube(-k, 1, -1, k, -1, 0)
		cube(-1, -k, -k, -1, 0, -1)
		cube(k, -1, 1, -k, 1, 0)
		r.ClosePath()
	})
}

func (c canvas) shape(col color.Color, points ...float64) {
	box := image.Rect(int(points[0]), int(points[1]), int(points[0])+1, int(points[1])+1)
	for i := 0; i < len(points); i += 2 {
		box = box.Union(image.Rect(int(points[i])-1, int(points[i+1])-1, int(points[i])+2, int(points[i+1])+2))
	}
	c.fill(col, box, func(r *vector.Rasterizer, x0, y0 float64) {
		r.MoveTo(float32(points[0]-x0), float32(points[1]-y0))
		for i := 2; i < len(points); i += 2 {
			r.LineTo(float32(points[i]-x0), float32(points[i+1]-y0))
		}
		r.ClosePath()
	})
}

// A look is how a person is drawn.
type look struct{ skin, hair, coat uint32 }

var looks = map[string]look{
	"oda":  {0xD9A47C, 0xB9B2A6, 0x5B4A6B},
	"pell": {0xB87B54, 0x2C2623, 0x3E5C58},
}

// face draws a head of radius r; open is how wide the mouth is, 0..1.
func (c canvas) face(who string, x, y, r, open float64, frame int) {
	l := looks[who]
	skin, hair := paint(l.skin), paint(l.hair)
	c.ellipse(paint(l.coat), x, y+r*2.35, r*1.75, r*1.35)
	c.shape(skin, x-r*.32, y+r*.6, x+r*.32, y+r*.6, x+r*.4, y+r*1.3, x-r*.4, y+r*1.3)
	if who == "oda" {
		c.ellipse(hair, x+r*.1, y-r*1.12, r*.42, r*.38)
		c.ellipse(hair, x, y-r*.12, r*1.02, r*1.06)
	} else {
		c.ellipse(hair, x, y-r*.22, r*1, r*.98)
	}
	c.ellipse(skin, x, y+r*.08, r*.86, r*.98)
	if who == "oda" {
		c.shape(hair, x-r*.86, y-r*.1, x-r*.6, y-r*.75, x+r*.55, y-r*.78, x+r*.86, y-r*.1, x+r*.3, y-r*.52, x-r*.4, y-r*.5)
	} else {
		c.shape(hair, x-r*.9, y-r*.3, x-r*.5, y-r*.95, x+r*.6, y-r*.9, x+r*.9, y-r*.3, x, y-r*.45)
	}
	dark := paint(0x2B211C)
	lid := 0.13
	if frame%83 < 4 || frame%131 < 3 {
		lid = 0.02
	}
	for _, side := range []float64{-1, 1} {
		c.ellipse(dark, x+side*r*.34, y-r*.06, r*.09, r*lid)
		c.shape(dark, x+side*r*.2, y-r*.34, x+side*r*.5, y-r*.3, x+side*r*.5, y-r*.25, x+side*r*.2, y-r*.29)
	}
	c.ellipse(paint(0x9C6B50), x, y+r*.24, r*.07, r*.13)
	c.ellipse(paint(0x7A2F2A), x, y+r*.58, r*(.25-.05*open), r*(.035+.25*open))
	if open > .25 {
		c.ellipse(paint(0xEFE3D2), x, y+r*(.56-.14*open), r*.16, r*.04)
	}
}

// kiln is the brick arch with its fire.
func (c canvas) kiln(x, y, r float64, frame int) {
	c.ellipse(paint(0x5C3A2E), x, y, r, r)
	c.shape(paint(0x5C3A2E), x-r, y, x+r, y, x+r, y+r, x-r, y+r)
	for row := range 6 {
		for k := -3; k <= 3; k++ {
			bx := x + (float64(k)+.5*float64(row%2))*r*.3
			by := y - r*.75 + float64(row)*r*.28
			if math.Hypot(bx-x, by-y) < r*.86 {
				c.shape(paint(0x6E4636), bx-r*.12, by-r*.09, bx+r*.12, by-r*.09, bx+r*.12, by+r*.09, bx-r*.12, by+r*.09)
			}
		}
	}
	flicker := 1 + .05*math.Sin(float64(frame)*.9) + .04*math.Sin(float64(frame)*.37)
	c.ellipse(paint(0x2A1610), x, y+r*.45, r*.46, r*.5)
	c.ellipse(paint(0xC9541F), x, y+r*.52, r*.38*flicker, r*.4*flicker)
	c.ellipse(paint(0xF0A13C), x, y+r*.62, r*.24*flicker, r*.27*flicker)
	c.ellipse(paint(0xFCE3A1), x, y+r*.72, r*.11*flicker, r*.14*flicker)
}

// draw draws one frame of a shot. mouths are by person, 0..1.
func drawFrame(shot string, frame int, mouths map[string]float64) canvas {
	c := canvas{image.NewRGBA(image.Rect(0, 0, width, height))}
	draw.Draw(c.RGBA, c.Bounds(), image.NewUniform(paint(0x37403F)), image.Point{}, draw.Src)
	sway := 3 * math.Sin(float64(frame)*.045)
	switch shot {
	case "wide":
		c.shape(paint(0x2A302F), 0, 214, width, 206, width, height, 0, height)
		c.kiln(256, 128, 86, frame)
		c.face("oda", 96+sway, 138, 30, mouths["oda"], frame)
		c.face("pell", 420-sway, 142, 30, mouths["pell"], frame+40)
	case "oda":
		c.shape(paint(0x2F3736), 330, 0, width, 0, width, height, 360, height)
		c.kiln(58, 150, 78, frame)
		c.face("oda", 278+sway, 120, 74, mouths["oda"], frame)
	case "pell":
		c.shape(paint(0x444C46), 0, 0, 150, 0, 120, height, 0, height)
		c.kiln(462, 158, 72, frame)
		c.face("pell", 232-sway, 122, 74, mouths["pell"], frame)
	case "pell-rain":
		c.shape(paint(0x27303A), 20, 20, 150, 20, 150, 170, 20, 170)
		for k := range 16 {
			x, y := float64(24+k*8), float64(24+(k*53+frame*11)%120)
			c.shape(paint(0x8FA3B3), x, y, x+1.4, y, x-1, y+20, x-2.4, y+20)
		}
		c.kiln(462, 158, 72, frame)
		c.face("pell", 252-sway, 122, 74, mouths["pell"], frame)
	}
	return c
}

// film writes a file of picture and sound; mouths follow the voices' envelopes.
func film(shot, soundFile, to string, voices map[string][]float64, frames int) {
	cmd := exec.Command(
		"ffmpeg",
		"-v",
		"error",
		"-y",
		"-f",
		"rawvideo",
		"-pix_fmt",
		"rgba",
		"-s",
		"512x288",
		"-r",
		"25",
		"-i",
		"pipe:0",
		"-i",
		soundFile,
		"-c:v",
		"libx264",
		"-preset",
		"slow",
		"-crf",
		"27",
		"-bf",
		"0",
		"-pix_fmt",
		"yuv420p",
		"-c:a",
		"flac",
		"-sample_fmt",
		"s16",
		"-fflags",
		"+bitexact",
		"-flags:v",
		"+bitexact",
		"-flags:a",
		"+bitexact",
		to,
	)
	in, err := cmd.StdinPipe()
	check(err)
	var complaint bytes.Buffer
	cmd.Stderr = &complaint
	check(cmd.Start())
	for f := range frames {
		mouths := map[string]float64{}
		for who, v := range voices {
			mouths[who] = mouth(v, f)
		}
		_, err := in.Write(drawFrame(shot, f, mouths).Pix)
		check(err)
	}
	in.Close()
	if err := cmd.Wait(); err != nil {
		panic(complaint.String())
	}
}

// mouth is how wide a mouth is on a frame, from the voice over that frame.
func mouth(v []float64, frame int) float64 {
	from, to := frame*rate/25, (frame+1)*rate/25
	power := 0.0
	for i := from; i < to && i < len(v); i++ {
		power += v[i] * v[i]
	}
	return min(1, math.Sqrt(power/float64(rate/25))*9)
}

package tone_test

import (
	"fmt"
	"math/rand/v2"

	"blendseam/core/listen/tone"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// Four seconds of a quiet room make tone of any length, and any stretch of it is the same bits however it is asked for.
func ExampleOpen() {
	room := pcm.NewBlock(1, 4*48000)
	rng := rand.New(rand.NewPCG(1, 2))
	for i := range room[0] {
		room[0][i] = 0.002 * (rng.Float64() - 0.5)
	}
	read := func(m recipe.Material) (pcm.Block, error) { return room.Slice(m.From, m.To), nil }
	r := tone.Open(
		recipe.Tone{Seed: 7, Left: []recipe.Material{{Source: "room", To: 4 * 48000}}},
		48000,
		1,
		24*3600*48000,
		read,
	)
	whole, err := pcm.Read(r, pcm.Span{From: 1_000_000, To: 1_960_000})
	if err != nil {
		panic(err)
	}
	part, err := pcm.Read(r, pcm.Span{From: 1_500_000, To: 1_500_001})
	if err != nil {
		panic(err)
	}
	fmt.Println(part[0][0] == whole[0][500_000])
	fmt.Printf("%.0f dB apart in level\n", tone.LevelDB(whole, 48000)-tone.LevelDB(room, 48000))
	// Output:
	// true
	// 0 dB apart in level
}

package ingest

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"blendseam/core/listen/tone"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/core/sound/timecode"
	"blendseam/media"
	"blendseam/scratch"
	"blendseam/store"
)

// The made-up rooms are so long, in seconds, at this rate.
const (
	roomS    = 12
	roomRate = 48000
)

// Rooms brings the made-up rooms into the library of tones, those that are missing.
func (in Ingester) Rooms(ctx context.Context, have []store.Tone) error {
	known := map[string]bool{}
	for _, t := range have {
		known[t.MadeUp] = true
	}
	for i, k := range room.Kinds {
		if known[k.Name] {
			continue
		}
		if err := in.room(ctx, k, uint64(i+1)); err != nil {
			return fmt.Errorf("the made-up room %s: %w", k.Name, err)
		}
	}
	return nil
}

func (in Ingester) room(ctx context.Context, k room.Kind, seed uint64) error {
	dir, err := scratch.Dir()
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, k.Name+", made up.wav")
	sound := k.Sound(roomS*roomRate, roomRate, 2, seed)
	out, err := media.Create(path, roomRate, 2, "24", false)
	if err != nil {
		return err
	}
	defer out.Discard()
	whole := pcm.Span{To: sound.Len()}
	if err := out.Copy(pcm.Memory{Rate: roomRate, Sound: sound}, whole); err != nil {
		return err
	}
	if err := out.Close(); err != nil {
		return err
	}
	info, err := in.File(ctx, path, roomRate, timecode.F25)
	if err != nil {
		return err
	}
	_, err = in.Store.AddTone(
		ctx,
		store.Tone{Name: k.Name, Place: k.About + " (made up)", Source: info.ID, To: whole.To, Rate: roomRate,
			LevelDB: tone.LevelDB(sound, roomRate), Thirds: tone.Thirds(sound, []pcm.Span{whole}, roomRate), MadeUp: k.Name},
	)
	return err
}

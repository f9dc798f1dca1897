package export

import (
	"context"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/interchange"
	"blendseam/media"
)

// carriedHandleS is how much of a recording goes along beyond the ends of what is rendered for a list, in seconds.
const carriedHandleS = 5

// A Carried is a scene that sounds as another does, and of which a format carries all that sounds.
type Carried struct {
	Scene *scene.Scene
	Files []File // the recordings that were made for it
}

// Carry renders exactly those clips of sound of which a format would lose something into recordings of their own, in
// the folder dir, as 32-bit float WAV with handles, and gives the scene with them in their places. Their gain, lines,
// lulls, filters, rooms, tones and lengths are in the sound, and so is what their tracks do as a whole; fades and
// blends stay what they are. Pairs across tracks become the fades of their clips. A track whose room fills its gaps
// becomes one recording. The scene's names of the files begin with folder. After an error none of them is there.
func Carry(
	ctx context.Context, s *scene.Scene, from *meter.Sources, f interchange.Format, dir, folder string,
	progress func(float64),
) (out *Carried, err error) {
	c := &carrying{from: from, was: s, dir: dir, folder: folder, next: ownCopy(s), out: &Carried{}}
	defer func() {
		if err != nil {
			for _, f := range c.out.Files {
				os.Remove(f.Path)
			}
		}
	}()
	c.parted()
	lossy := map[scene.ClipID]bool{}
	for _, l := range f.LostOf(s) {
		lossy[l.ID] = true
	}
	for i, t := range s.Tracks {
		if t.Kind == scene.Sound {
			if err := c.track(ctx, i, func(id scene.ClipID) bool { return lossy[id] }); err != nil {
				return nil, err
			}
		}
		if progress != nil {
			progress(float64(i+1) / float64(len(s.Tracks)))
		}
	}
	c.out.Scene = c.next
	return c.out, nil
}

// Joins tells whether there is anything that Carry would render for a format.
func Joins(s *scene.Scene, f interchange.Format) bool {
	if len(f.Lacks) == 0 {
		return false
	}
	treated := func(t *scene.Track) bool { return t.Kind == scene.Sound && treats(t) && len(t.Clips) > 0 }
	return len(s.Pairs) > 0 || slices.ContainsFunc(s.Tracks, treated) ||
		slices.ContainsFunc(f.LostOf(s), func(l interchange.Loss) bool {
			t, c := s.Clip(l.ID)
			return c != nil && t.Kind == scene.Sound && !c.Muted
		})
}

// treats tells whether a track does something to all of its clips.
func treats(t *scene.Track) bool {
	return t.GainDB != 0 || t.Balance != 0 || t.Filters != nil || t.Treatments.Does() || t.Room != nil || len(t.Ducks) > 0
}

// ownCopy is a scene whose tracks, clips and sources can be changed without changing the scene that it is of.
func ownCopy(s *scene.Scene) *scene.Scene {
	next := *s
	next.Sources, next.Tracks = maps.Clone(s.Sources), nil
	for _, t := range s.Tracks {
		track := *t
		track.Clips = slices.Clone(t.Clips)
		next.Tracks = append(next.Tracks, &track)
	}
	return &next
}

// carrying is a scene on its way into a list.
type carrying struct {
	was, next   *scene.Scene
	from        *meter.Sources
	dir, folder string
	out         *Carried
}

// parted lets the clips of pairs have their fades.
func (c *carrying) parted() {
	for _, p := range c.was.Pairs {
		span, ok := c.was.Overlap(p)
		if !ok {
			continue
		}
		_, out := c.next.Clip(p.Out)
		_, in := c.next.Clip(p.In)
		out.FadeOut = scene.Fade{Length: span.Len(), Curve: p.Fade(p.CurveOut)}
		in.FadeIn = scene.Fade{Length: span.Len(), Curve: p.Fade(p.CurveIn)}
	}
	c.next.Pairs = nil
}

// track renders what of a track a list would lose.
func (c *carrying) track(ctx context.Context, i int, lossy func(scene.ClipID) bool) error {
	was, now := c.was.Tracks[i], c.next.Tracks[i]
	now.GainDB, now.Balance, now.Filters, now.Room, now.Ducks, now.Mute, now.Solo = 0, 0, nil, nil, nil, false, false
	now.Treatments = nil
	if unheard(c.was)(was) { // a list has no such tracks: its clips are muted
		for k := range now.Clips {
			now.Clips[k].Muted = true
		}
		return nil
	}
	if (was.Room != nil || was.Treatments.Does()) && len(was.Clips) > 0 { // it sounds between its clips, too
		span := pcm.Span{To: c.was.Length()}
		clip := scene.Clip{ID: was.Clips[0].ID, Name: was.Name, Start: 0, Length: span.Len()}
		if err := c.render(ctx, c.was, was, &clip, span); err != nil {
			return err
		}
		now.Clips, now.Blends = []scene.Clip{clip}, nil
		return nil
	}
	for k := range was.Clips {
		if !treats(was) && !lossy(was.Clips[k].ID) || was.Clips[k].Muted {
			continue
		}
		if err := c.clip(ctx, was, was.Clips[k], &now.Clips[k]); err != nil {
			return fmt.Errorf("%s: %w", was.Clips[k].Name, err)
		}
	}
	return nil
}

// clip renders one clip, with handles, alone on its track.
func (c *carrying) clip(ctx context.Context, t *scene.Track, was scene.Clip, now *scene.Clip) error {
	head, tail := c.was.Handles(t, was)
	most := carriedHandleS * c.was.SampleRate
	head, tail = max(0, min(head, most, was.Start)), max(0, min(tail, most))
	whole := was
	whole.Start, whole.In, whole.Length = was.Start-head, was.In-head, was.Length+head+tail
	whole.FadeIn, whole.FadeOut = scene.Fade{}, scene.Fade{}
	alone, track := *c.was, *t
	track.Clips, track.Blends = []scene.Clip{whole}, nil
	alone.Tracks, alone.Pairs = slices.Clone(c.was.Tracks), nil
	alone.Tracks[slices.Index(c.was.Tracks, t)] = &track
	clip := scene.Clip{ID: was.ID, Name: was.Name, In: head, Start: was.Start, Length: was.Length, FadeIn: now.FadeIn,
		FadeOut: now.FadeOut, Link: was.Link, Note: was.Note}
	if err := c.render(ctx, &alone, t, &clip, whole.Span()); err != nil {
		return err
	}
	*now = clip
	return nil
}

// render writes what a track of a scene sounds like over a span as a recording, and lets a clip show that.
func (c *carrying) render(ctx context.Context, s *scene.Scene, t *scene.Track, clip *scene.Clip, span pcm.Span) error {
	m, err := mix.New(s, c.from.Mix(s), mix.Options{Track: t.ID, Within: span})
	if err != nil {
		return err
	}
	n := len(c.out.Files) + 1
	name := fmt.Sprintf("%03d %s.wav", n, FileName(clip.Name))
	path := filepath.Join(c.dir, name)
	rate := int(s.SampleRate)
	form := media.Form{Rate: rate, Channels: m.Channels(), Depth: "32f"}
	out, err := media.CreateAs(path, form)
	if err != nil {
		return err
	}
	defer out.Discard()
	if err := out.CopyContext(ctx, mix.Recording{Mixer: m, Rate: rate}, span); err != nil {
		return err
	}
	if err := out.Close(); err != nil {
		return err
	}
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	c.out.Files = append(c.out.Files, File{Path: path, Name: clip.Name, Bytes: info.Size(),
		LengthS: float64(span.Len()) / float64(rate), Format: form.Words(path)})
	id := fmt.Sprintf("carried-%d", n)
	c.next.Sources[id] = scene.Source{ID: id, Name: fmt.Sprintf("%03d %s", n, clip.Name), URL: c.folder + name,
		Samples: span.Len(), Channels: m.Channels()}
	clip.Source = id
	return nil
}

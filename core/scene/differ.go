package scene

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"blendseam/core/scene/phrase"
)

// Differences says in words what differs from one state of a scene to another, by tracks and in order of time.
func Differences(a, b *Scene) (list []string) {
	say := func(format string, args ...any) { list = append(list, fmt.Sprintf(format, args...)) }
	if a.Name != b.Name {
		say("scene named %s, was %s", b.Name, a.Name)
	}
	for _, t := range a.Tracks {
		if b.Track(t.ID) == nil {
			say("track %s is gone, with %s", t.Name, phrase.Count(len(t.Clips), "clip"))
		}
	}
	for i, t := range b.Tracks {
		was := a.Track(t.ID)
		switch {
		case was == nil:
			say("track %s is new, with %s", t.Name, phrase.Count(len(t.Clips), "clip"))
			continue
		case was == t:
			continue
		case len(a.Tracks) == len(b.Tracks) && TrackIndex(a, t.ID) != i:
			say("track %s lies elsewhere", t.Name)
		}
		list = append(list, trackWords(was, t)...)
		list = append(list, clipsDiffer(a, b, was, t)...)
		list = append(list, blendsDiffer(a, b, was, t)...)
	}
	list = append(list, pairsDiffer(a, b)...)
	for _, m := range a.Markers {
		if i := slices.IndexFunc(b.Markers, func(n Marker) bool { return n.ID == m.ID }); i < 0 {
			say("marker %s is gone", m.Name)
		} else if n := b.Markers[i]; n.At != m.At {
			say("marker %s %s", n.Name, MovedWords(a, n.At-m.At))
		} else if n.Name != m.Name {
			say("marker %s named %s", m.Name, n.Name)
		}
	}
	for _, m := range a.Markers {
		i := slices.IndexFunc(b.Markers, func(n Marker) bool { return n.ID == m.ID })
		if i >= 0 && b.Markers[i].Length != m.Length {
			say("range %s is %s long", m.Name, LengthWords(b, b.Markers[i].Length))
		}
	}
	for _, m := range b.Markers {
		if !slices.ContainsFunc(a.Markers, func(n Marker) bool { return n.ID == m.ID }) {
			say("marker %s at %s is new", m.Name, b.Timecode(m.At))
		}
	}
	if by := b.Length() - a.Length(); by != 0 {
		say("scene %s %s", LengthWords(a, by), phrase.Either(by < 0, "shorter", "longer"))
	}
	return list
}

func trackWords(a, b *Track) (list []string) {
	var parts []string
	for _, flag := range []struct {
		was, is  bool
		yes, not string
	}{{a.Mute, b.Mute, "muted", "no longer muted"}, {a.Solo, b.Solo, "solo", "no longer solo"},
		{a.Locked, b.Locked, "locked", "unlocked"},
		{a.Stays, b.Stays, "stays when others close up", "follows when others close up"}} {
		if flag.was != flag.is {
			parts = append(parts, phrase.Either(flag.is, flag.yes, flag.not))
		}
	}
	if a.Name != b.Name {
		parts = append(parts, "was named "+a.Name)
	}
	if a.Purpose != b.Purpose {
		parts = append(parts, fmt.Sprintf("for %s, was for %s", b.Purpose, a.Purpose))
	}
	if a.GainDB != b.GainDB {
		parts = append(parts, fmt.Sprintf("at %+.1f dB, was at %+.1f", b.GainDB, a.GainDB))
	}
	if a.Balance != b.Balance {
		parts = append(parts, BalanceWords(b.Balance))
	}
	if len(a.Ducks) != len(b.Ducks) || len(a.Ducks) > 0 && !reflect.DeepEqual(a.Ducks, b.Ducks) {
		parts = append(
			parts,
			phrase.Either(len(b.Ducks) == 0, "makes way for no words", "makes way for words otherwise"),
		)
	}
	if !reflect.DeepEqual(a.Treatments, b.Treatments) {
		parts = append(parts, phrase.Either(b.Treatments == nil, "no longer treated", "treated differently"))
	}
	if !reflect.DeepEqual(a.Filters, b.Filters) {
		parts = append(parts, phrase.Either(b.Filters == nil, "not filtered any more", "filtered otherwise"))
	}
	if !a.Room.Equal(b.Room) {
		parts = append(
			parts,
			phrase.Either(b.Room == nil, "no room between its clips", "with a room between its clips"),
		)
	}
	if len(parts) == 0 {
		return nil
	}
	return []string{fmt.Sprintf("track %s: %s", b.Name, strings.Join(parts, ", "))}
}

// clipsDiffer tells what became of each clip of a track. Runs of clips that moved alike are told as one.
func clipsDiffer(s *Scene, after *Scene, a, b *Track) (list []string) {
	was := map[ClipID]Clip{}
	for _, c := range a.Clips {
		was[c.ID] = c
	}
	movedBy, moved := int64(0), 0
	name := ""
	flush := func() {
		switch {
		case moved == 1:
			list = append(list, fmt.Sprintf("%s on %s moved %s", name, b.Name, MovedWords(s, movedBy)))
		case moved > 1:
			list = append(
				list,
				fmt.Sprintf(
					"%s on %s from %s on moved %s",
					phrase.Count(moved, "clip"),
					b.Name,
					name,
					MovedWords(s, movedBy),
				),
			)
		}
		moved = 0
	}
	for _, c := range b.Clips {
		old, known := was[c.ID]
		delete(was, c.ID)
		if !known {
			flush()
			list = append(
				list,
				fmt.Sprintf("%s at %s on %s is new", c.Name, after.Timecode(after.Time(b, c.Start)), b.Name),
			)
			continue
		}
		by, parts := clipDiffers(s, after, a, b, old, c)
		if len(parts) > 0 {
			flush()
			list = append(list, fmt.Sprintf("%s on %s: %s", c.Name, b.Name, strings.Join(parts, ", ")))
			continue
		}
		if by == 0 {
			continue
		}
		if moved > 0 && max(by-movedBy, -(by-movedBy)) > 2 { // samples: frames may be no whole number of them
			flush()
		}
		if moved == 0 {
			movedBy, name = by, c.Name
		}
		moved++
	}
	flush()
	for _, c := range a.Clips {
		if _, gone := was[c.ID]; gone {
			list = append(list, fmt.Sprintf("%s at %s on %s is gone", c.Name, s.Timecode(s.Time(a, c.Start)), b.Name))
		}
	}
	return list
}

// clipDiffers gives by how many samples a clip moved, and in words all else.
func clipDiffers(s *Scene, after *Scene, ta, tb *Track, a, b Clip) (by int64, parts []string) {
	by = after.Time(tb, b.Start) - s.Time(ta, a.Start)
	in, length := s.Time(ta, b.In)-s.Time(ta, a.In), after.Time(tb, b.Length)-s.Time(ta, a.Length)
	edge := func(which Side, longer int64) {
		if longer != 0 {
			parts = append(
				parts,
				fmt.Sprintf("%s %s %s", which, LengthWords(s, longer), phrase.Either(longer < 0, "shorter", "longer")),
			)
		}
	}
	switch {
	case in != 0 && length == 0 && by != in:
		parts = append(parts, "slipped, shows its recording from "+MovedWords(s, in))
	default:
		edge(Head, -in)
		edge(Tail, length+in)
	}
	if len(parts) > 0 && by != 0 && by != in {
		parts = append(parts, "moved "+MovedWords(s, by))
	}
	if a.GainDB != b.GainDB {
		parts = append(parts, fmt.Sprintf("%+.1f dB, was %+.1f", b.GainDB, a.GainDB))
	}
	for _, f := range []struct {
		edge    Side
		was, is Fade
	}{{Head, a.FadeIn, b.FadeIn}, {Tail, a.FadeOut, b.FadeOut}} {
		switch {
		case f.was == f.is:
		case f.is.Length == 0:
			parts = append(parts, "no fade at its "+string(f.edge))
		default:
			parts = append(parts, fmt.Sprintf("%s faded over %s", f.edge, LengthWords(s, f.is.Length)))
		}
	}
	switch {
	case slices.Equal(a.Level, b.Level):
	case len(b.Level) == 0:
		parts = append(parts, "no level line")
	default:
		parts = append(parts, "level line of "+phrase.Count(len(b.Level), "point"))
	}
	switch {
	case slices.Equal(a.Lulls, b.Lulls):
	case len(b.Lulls) == 0:
		parts = append(parts, "no lull")
	default:
		parts = append(parts, "with "+phrase.Count(len(b.Lulls), "lull"))
	}
	if !reflect.DeepEqual(a.Treatments, b.Treatments) {
		parts = append(parts, phrase.Either(b.Treatments == nil, "no longer treated", "treated differently"))
	}
	if !reflect.DeepEqual(a.Filters, b.Filters) {
		parts = append(parts, phrase.Either(b.Filters == nil, "not filtered any more", "filtered otherwise"))
	}
	if !reflect.DeepEqual(a.Like, b.Like) {
		parts = append(
			parts,
			phrase.Either(b.Like == nil, "not brought near another voice any more", "brought near another voice"),
		)
	}
	if words := roomsDiffer(a.Room, b.Room); words != "" {
		parts = append(parts, words)
	}
	if (a.Fills == nil) != (b.Fills == nil) {
		parts = append(parts, phrase.Either(b.Fills == nil, "does not follow its hole any more", "follows its hole"))
	}
	if !same(a.AcceptedHead, b.AcceptedHead) || !same(a.AcceptedTail, b.AcceptedTail) {
		parts = append(
			parts,
			phrase.Either(
				b.AcceptedHead != nil || b.AcceptedTail != nil,
				"a seam accepted as it is",
				"a seam not accepted any more",
			),
		)
	}
	if a.Muted != b.Muted {
		parts = append(parts, phrase.Either(b.Muted, "muted", "no longer muted"))
	}
	if (a.Link == "") != (b.Link == "") {
		parts = append(parts, phrase.Either(b.Link == "", "unlinked", "linked"))
	}
	if a.Name != b.Name || a.Note != b.Note {
		parts = append(parts, "named or noted anew")
	}
	return by, parts
}

// pairsDiffer tells which pairs there are in one scene and not in the other, and which are shaped otherwise.
func pairsDiffer(a, b *Scene) (list []string) {
	words := func(s *Scene, p Pair) string {
		return fmt.Sprintf("fades between %s and %s", ClipName(s, p.Out), ClipName(s, p.In))
	}
	for _, p := range b.Pairs {
		was := a.PairAt(p.Out, true)
		switch {
		case was == nil || was.In != p.In:
			list = append(list, words(b, p)+" are new")
		case !reflect.DeepEqual(*was, p):
			list = append(list, words(b, p)+" have another shape")
		}
	}
	for _, p := range a.Pairs {
		if now := b.PairAt(p.Out, true); now == nil || now.In != p.In {
			list = append(list, words(a, p)+" are no pair any more")
		}
	}
	return list
}

func blendsDiffer(a, b *Scene, ta, tb *Track) (list []string) {
	between := func(s *Scene, x Blend) string {
		_, left := s.Clip(x.Left)
		_, right := s.Clip(x.Right)
		return fmt.Sprintf("from %s to %s on %s", left.Name, right.Name, tb.Name)
	}
	for _, x := range tb.Blends {
		was := ta.Blend(x.Left, x.Right)
		switch {
		case was == nil:
			list = append(list, fmt.Sprintf("blend %s is new, %s long", between(b, x), LengthWords(b, x.Length())))
		case !reflect.DeepEqual(*was, x):
			list = append(
				list,
				fmt.Sprintf(
					"blend %s changed, %s long, was %s",
					between(b, x),
					LengthWords(b, x.Length()),
					LengthWords(a, was.Length()),
				),
			)
		}
	}
	for _, x := range ta.Blends {
		if tb.Blend(x.Left, x.Right) == nil {
			list = append(list, fmt.Sprintf("blend %s is gone", between(a, x)))
		}
	}
	return list
}

package ingest

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"math/big"
	"net/url"
	"path"
	"slices"
	"strings"

	"blendseam/core/scene"
	"blendseam/interchange"
	"blendseam/media"
)

// A Choice is a recording that a scene file names, and those of the library that it could be.
type Choice struct {
	URL        string       `json:"url"`
	Name       string       `json:"name"`
	Candidates []media.Info `json:"candidates"`
}

// Choices says that somebody has to choose: recordings of the library share a name, and nothing tells them apart.
type Choices struct{ List []Choice }

func (e *Choices) Error() string {
	var names []string
	for _, c := range e.List {
		names = append(names, c.Name)
	}
	return fmt.Sprintf("More than one recording here is named %s and fits. Say which is meant.", strings.Join(names, ", "))
}

// Uploaded takes a scene file whose recordings were brought in before. Each is found by its checksum, or by its name
// and length; where several fit, chosen has the id of one under the file's name for it, or *Choices is the error.
// Nothing but the library is looked into. The scene is the production's.
func (in Ingester) Uploaded(
	ctx context.Context,
	raw []byte,
	name string,
	chosen map[string]string,
	production string,
) (id string, warnings []string, err error) {
	s, warnings, err := in.Read(ctx, raw, name, chosen)
	if err != nil {
		return "", nil, err
	}
	id, err = in.create(ctx, s, production)
	return id, warnings, err
}

// Read reads a scene file as Uploaded does, and keeps nothing.
func (in Ingester) Read(
	ctx context.Context,
	raw []byte,
	name string,
	chosen map[string]string,
) (s *scene.Scene, warnings []string, err error) {
	known, err := in.all(ctx)
	if err != nil {
		return nil, nil, err
	}
	format, err := interchange.FormatOf(name)
	if err != nil {
		return nil, nil, err
	}
	clocked := map[string]media.Info{} // found by timecode alone, by the file's name for them
	namedOrClocked := func(target string) []media.Info {
		if info, found := clocked[target]; found {
			return []media.Info{info}
		}
		return named(known, target)
	}
	length := func(target string) (sound, picture *big.Rat) {
		list := namedOrClocked(target)
		if len(list) != 1 { // it cannot be said yet which is meant
			return nil, nil
		}
		if list[0].Rate > 0 {
			sound = new(big.Rat).SetFloat64(list[0].Seconds)
		}
		if list[0].Width > 0 {
			picture = new(big.Rat).SetFloat64(list[0].Seconds)
		}
		return sound, picture
	}
	start := func(target string) *big.Rat {
		if list := namedOrClocked(target); len(list) == 1 {
			return list[0].StartS()
		}
		return nil
	}
	s, warnings, err = format.Read(raw, interchange.Hints{Length: length, Start: start})
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", name, err)
	}
	found, gone, open := map[string]media.Info{}, map[string]scene.Source{}, &Choices{}
	for id, src := range s.Sources {
		list := byTimecode(s, src, known)
		if i := slices.IndexFunc(list, func(info media.Info) bool { return info.ID == chosen[src.URL] }); i >= 0 {
			list = list[i : i+1]
		}
		switch {
		case len(list) == 1:
			clocked[src.URL] = list[0]
		case len(list) > 1 && !needed(s, id):
			open.List = append(open.List, Choice{src.URL, baseName(src.URL), list})
		}
	}
	if len(clocked) > 0 && len(open.List) == 0 { // now it is known what its timecodes count from
		if s, warnings, err = format.Read(raw, interchange.Hints{Length: length, Start: start}); err != nil {
			return nil, nil, fmt.Errorf("%s: %w", name, err)
		}
		for _, url := range slices.Sorted(maps.Keys(clocked)) {
			warnings = append(warnings, fmt.Sprintf("%s was found by its timecode: %s", baseName(url), clocked[url].Name))
		}
	}
	for id, src := range s.Sources {
		if src.Made() {
			continue
		}
		if info, is := clocked[src.URL]; is {
			found[id] = info
			continue
		}
		list, err := meant(s, src, known, chosen[src.URL])
		if errors.Is(err, errNotHere) && !needed(s, id) {
			missing := scene.MissingSource(s, src)
			warnings = append(warnings, fmt.Sprintf("the recording %s is not here; its clips are silent until it is linked",
				baseName(src.URL)))
			gone[id] = missing
			continue
		}
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", name, err)
		}
		if len(list) > 1 {
			open.List = append(open.List, Choice{src.URL, baseName(src.URL), list})
		}
		found[id] = list[0]
	}
	if len(open.List) > 0 {
		slices.SortFunc(open.List, func(a, b Choice) int { return strings.Compare(a.URL, b.URL) })
		return nil, nil, open
	}
	s, err = in.adopt(s, gone, func(src scene.Source) (media.Info, error) {
		info := found[src.ID]
		return info, in.Library.Prepare(ctx, info, s.SampleRate, s.Rate)
	})
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", name, err)
	}
	return s, warnings, nil
}

// baseName is the file's name in a media URL.
func baseName(target string) string {
	if u, err := url.Parse(target); err == nil && u.Path != "" {
		target = u.Path
	}
	return path.Base(target)
}

// named are the recordings that have the name in a media URL, as it stands there or unescaped.
func named(known []media.Info, target string) (list []media.Info) {
	for _, info := range known {
		if info.Name == baseName(target) || info.Name == path.Base(target) {
			list = append(list, info)
		}
	}
	if len(list) > 0 {
		return list
	}
	bare := func(name string) string { return strings.ToLower(strings.TrimSuffix(name, path.Ext(name))) }
	for _, info := range known { // another program may write it in capitals, or leave the ending out
		if bare(info.Name) == bare(baseName(target)) || bare(info.Name) == strings.ToLower(target) {
			list = append(list, info)
		}
	}
	return list
}

// all is what is known of every recording of the library.
func (in Ingester) all(ctx context.Context) ([]media.Info, error) {
	all, err := in.Store.Sources(ctx)
	if err != nil {
		return nil, err
	}
	known := make([]media.Info, len(all))
	for i, src := range all {
		if err := json.Unmarshal(src.Info, &known[i]); err != nil {
			return nil, err
		}
		known[i].Name = src.Name
	}
	return known, nil
}

// Named are the recordings of the library that have the name in a media URL.
func (in Ingester) Named(ctx context.Context, target string) ([]media.Info, error) {
	known, err := in.all(ctx)
	return named(known, target), err
}

// byTimecode are the recordings, of those that are known, that a source can be by its timecode alone: nothing here has
// its checksum or its name, and all that is shown of it lies within them.
func byTimecode(s *scene.Scene, src scene.Source, known []media.Info) (list []media.Info) {
	if src.Made() || src.SHA256 != "" || len(named(known, src.URL)) > 0 {
		return nil
	}
	from, to, picture := shownClock(s, src)
	if from >= to {
		return nil
	}
	for _, info := range known {
		start := info.StartS()
		if start == nil || picture && info.Width == 0 || !picture && info.Rate == 0 {
			continue
		}
		at, _ := start.Float64()
		if at <= from+sameLengthS && to <= at+info.Seconds+sameLengthS {
			list = append(list, info)
		}
	}
	return list
}

// shownClock is which source timecodes clips show of a source, in seconds, and whether they show its picture.
func shownClock(s *scene.Scene, src scene.Source) (from, to float64, picture bool) {
	from = math.Inf(1)
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if c.Source == src.ID {
				in := float64(s.Time(t, c.In)+src.Offset) / float64(s.SampleRate)
				from, to = min(from, in), max(to, in+float64(s.Time(t, c.Length))/float64(s.SampleRate))
				picture = picture || t.Kind == scene.Picture
			}
		}
	}
	return from, to, picture
}

// errNotHere says that the library has no recording that one can be.
var errNotHere = errors.New("is not here yet")

// needed tells whether more than clips is made of a recording: tone, a fitted one, or one that was joined.
func needed(s *scene.Scene, id string) bool {
	for _, src := range s.Sources {
		if slices.Contains(scene.Recordings(s, src.ID), id) && src.Made() || slices.Contains(scene.PartsOf(s, src), id) {
			return true
		}
	}
	return false
}

// sameLengthS is by how many seconds lengths may differ that are one.
const sameLengthS = 0.02

// meant are the recordings that a source of a scene file can be; the error says why it can be none.
func meant(s *scene.Scene, src scene.Source, known []media.Info, chosen string) ([]media.Info, error) {
	if src.SHA256 != "" {
		i := slices.IndexFunc(known, func(info media.Info) bool { return info.SHA256 == src.SHA256 })
		if i < 0 {
			return nil, fmt.Errorf(
				"its recording %s %w: none has its checksum. Bring it in first, then the scene file again",
				baseName(src.URL),
				errNotHere,
			)
		}
		return known[i : i+1], nil
	}
	list := named(known, src.URL)
	if len(list) == 0 {
		return nil, fmt.Errorf(
			"its recording %s %w; bring it in first, then the scene file again",
			baseName(src.URL),
			errNotHere,
		)
	}
	if i := slices.IndexFunc(list, func(info media.Info) bool { return info.ID == chosen }); i >= 0 {
		return list[i : i+1], nil
	}
	stated, used := seconds(s, src)
	fit := slices.DeleteFunc(slices.Clone(list), func(info media.Info) bool { return info.Seconds < used-sameLengthS })
	if exact := slices.DeleteFunc(
		slices.Clone(fit),
		func(info media.Info) bool { return math.Abs(info.Seconds-stated) > sameLengthS },
	); len(
		exact,
	) > 0 {
		return exact, nil
	}
	if len(fit) == 0 {
		return nil, fmt.Errorf(
			"its recording %s is %.2f s long here, and %.2f s of it are used; bring the right one in first, then the scene "+
				"file again",
			baseName(src.URL),
			list[0].Seconds,
			used,
		)
	}
	return fit, nil
}

// seconds is how long a source is as its file says, and how much of it is used.
func seconds(s *scene.Scene, src scene.Source) (stated, used float64) {
	rate := float64(s.SampleRate)
	stated = max(float64(src.Samples)/rate, float64(src.Frames)/s.Rate.Float())
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			switch {
			case c.Source == src.ID:
				used = max(used, float64(s.Time(t, c.In+c.Length))/rate)
			case scene.FitOf(s, c.Source).Of == src.ID:
				used = max(used, float64(scene.FitSpan(s, &c).To)/rate)
			}
		}
	}
	for _, other := range s.Sources {
		if other.Tone != nil {
			for _, m := range other.Tone.Materials() {
				if m.Source == src.ID {
					used = max(used, float64(m.To)/rate)
				}
			}
		}
	}
	return stated, used
}

// Measures the budgets of whole commands against ffmpeg doing the same on the same files in the same run, and prints
// ratios. Runs alternate, and the medians are compared, so that a busy machine slows both.
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"syscall"
	"time"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
)

const rounds = 5

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// run gives a command's time and the most memory it held, in MiB.
func run(name string, args ...string) (time.Duration, float64) {
	c := exec.Command(name, args...)
	start := time.Now()
	if out, err := c.CombinedOutput(); err != nil {
		check(fmt.Errorf("%s %v: %w: %s", name, args, err, out))
	}
	return time.Since(start), float64(c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss) / 1024
}

// against runs two commands in turn and gives their median times.
func against(ours, theirs func() time.Duration) (a, b time.Duration) {
	var mine, other []time.Duration
	for range rounds {
		mine = append(mine, ours())
		other = append(other, theirs())
	}
	slices.Sort(mine)
	slices.Sort(other)
	return mine[rounds/2], other[rounds/2]
}

// lastTime is where figures are kept from one run to the next.
const lastTime = "var/bench.json"

// figures are those of the last run, by what they are of.
var figures = map[string]string{}

func line(what string, value string, budget string, ok bool) {
	mark := "met"
	if !ok {
		mark = "MISSED"
	}
	was := figures[what]
	if was != "" {
		was = "last time " + was
	}
	fmt.Printf("%-62s %-28s %-22s %-7s %s\n", what, value, budget, mark, was)
	figures[what] = value
}

// keepFigures keeps them for the next run.
func keepFigures() {
	raw, err := json.MarshalIndent(figures, "", "  ")
	check(err)
	check(os.MkdirAll(filepath.Dir(lastTime), 0o755))
	check(os.WriteFile(lastTime, raw, 0o644))
}

const rate, minutes, tracks = 48000, 10, 8

func main() {
	program := "bin/blendseam"
	if raw, err := os.ReadFile(lastTime); err == nil {
		check(json.Unmarshal(raw, &figures))
	}
	defer keepFigures()
	dir, err := os.MkdirTemp("", "blendseam-bench-")
	check(err)
	defer os.RemoveAll(dir)
	var files []string
	for i := range tracks {
		f := filepath.Join(dir, fmt.Sprintf("t%d.wav", i))
		run(
			"ffmpeg",
			"-v",
			"error",
			"-f",
			"lavfi",
			"-i",
			fmt.Sprintf("anoisesrc=d=%d:r=%d:a=0.1:s=%d:c=pink", 60*minutes, rate, i),
			"-ac",
			"2",
			"-c:a",
			"pcm_s24le",
			f,
		)
		files = append(files, f)
	}
	short, long := filepath.Join(dir, "short.otio"), filepath.Join(dir, "long.otio")
	check(write(short, 1))
	check(write(long, 12))

	var memory float64
	mix := []string{"-v", "error", "-y"}
	for _, f := range files {
		mix = append(mix, "-i", f)
	}
	mix = append(
		mix,
		"-filter_complex",
		fmt.Sprintf("amix=inputs=%d:normalize=0", tracks),
		"-c:a",
		"pcm_s24le",
		filepath.Join(dir, "theirs.wav"),
	)
	ours, theirs := against(func() time.Duration {
		os.Remove(filepath.Join(dir, "ours.wav")) // giving a file's pages back takes time that is no one's
		d, m := run(program, "render", short, "-o", filepath.Join(dir, "ours.wav"))
		memory = max(memory, m)
		return d
	}, func() time.Duration {
		os.Remove(filepath.Join(dir, "theirs.wav"))
		d, _ := run("ffmpeg", mix...)
		return d
	})
	ratio := theirs.Seconds() / ours.Seconds()
	line(
		"8 stereo 24-bit tracks of 10 min, against ffmpeg's amix",
		fmt.Sprintf("%.1f times (%.2f s, %.2f s)", ratio, ours.Seconds(), theirs.Seconds()),
		"12 times",
		ratio >= 12,
	)
	line("memory of that render", fmt.Sprintf("%.0f MiB", memory), "under 64 MiB", memory < 64)

	worked := filepath.Join(dir, "levels.otio")
	check(writeLevels(worked))
	ours, _ = against(
		func() time.Duration {
			os.Remove(filepath.Join(dir, "ours.wav"))
			d, _ := run(program, "render", worked, "-o", filepath.Join(dir, "ours.wav"))
			return d
		},
		func() time.Duration { return theirs },
	)
	ratio = theirs.Seconds() / ours.Seconds()
	line(
		"the same with lines, ducks and two filters, against the bare amix",
		fmt.Sprintf("%.1f times (%.2f s, %.2f s)", ratio, ours.Seconds(), theirs.Seconds()),
		"4 times",
		ratio >= 4,
	)

	loud := []string{"-nostats", "-i", files[0], "-af", "ebur128=peak=true", "-f", "null", "-"}
	ours, theirs = against(
		func() time.Duration { d, _ := run(program, "loudness", files[0]); return d },
		func() time.Duration { d, _ := run("ffmpeg", loud...); return d },
	)
	ratio = theirs.Seconds() / ours.Seconds()
	line(
		"loudness and true peak of 10 min stereo, against ebur128",
		fmt.Sprintf("%.1f times (%.2f s, %.2f s)", ratio, ours.Seconds(), theirs.Seconds()),
		"8 times",
		ratio >= 8,
	)

	out := filepath.Join(dir, "long.wav")
	d, m := run(program, "render", long, "-o", out)
	line(
		"memory of a render of 2 hours",
		fmt.Sprintf("%.0f MiB in %.1f s", m, d.Seconds()),
		"under 64 MiB, the same",
		m < 64,
	)
	os.Remove(out)
	for _, f := range files {
		os.Remove(f)
	}
	mending(program, dir)
}

// write makes a scene file of all tracks, each so many times its file, one after the other.
func write(path string, times int64) error {
	s, err := bare(times)
	if err != nil {
		return err
	}
	return save(path, s)
}

// writeLevels makes a scene file in which every track has a level line with a point each second, all but the first make
// way for words on it every three seconds, and two are filtered.
func writeLevels(path string) error {
	s, err := bare(1)
	if err != nil {
		return err
	}
	words := map[string][]pcm.Span{}
	for at := int64(0); at < rate*60*minutes; at += 3 * rate {
		words["t0.wav"] = append(words["t0.wav"], pcm.Span{From: at, To: at + rate})
	}
	edits := []edit.Edit{&edit.SetSpeech{Words: words}}
	for i, t := range s.Tracks {
		var line []scene.LevelPoint
		for k := int64(0); k < 60*minutes; k++ {
			line = append(line, scene.LevelPoint{At: k * rate, DB: -6 * float64(k%3)})
		}
		edits = append(edits, &edit.SetLevel{Clip: t.Clips[0].ID, Points: line})
		if i > 0 {
			duck := scene.NewDuck(s, []scene.TrackID{s.Tracks[0].ID}, 6)
			edits = append(edits, &edit.SetDucks{Track: t.ID, Ducks: []scene.Duck{duck}})
		}
		if i < 2 {
			filters := &eq.Filters{LowCutHz: 80, Bells: []eq.Bell{{Hz: 1000, DB: -4, Q: 1}}}
			edits = append(edits, &edit.SetFilters{Tracks: []scene.TrackID{t.ID}, Filters: filters})
		}
	}
	for _, e := range edits {
		if s, err = edit.Apply(s, e); err != nil {
			return err
		}
	}
	return save(path, s)
}

func save(path string, s *scene.Scene) error {
	raw, err := otio.Write(s)
	if err != nil {
		return err
	}
	return os.WriteFile(path, raw, 0o644)
}

func bare(times int64) (*scene.Scene, error) {
	const length = int64(rate * 60 * minutes)
	s := scene.New("bench", timecode.F25, rate)
	for i := range tracks {
		id := fmt.Sprintf("t%d.wav", i)
		edits := []edit.Edit{
			&edit.Bring{Source: scene.Source{ID: id, Name: id, URL: id, Samples: length, Channels: 2}},
			&edit.AddTrack{Name: id, Purpose: scene.ForDialogue},
		}
		for _, e := range edits {
			next, err := edit.Apply(s, e)
			if err != nil {
				return nil, err
			}
			s = next
		}
		for k := range times {
			next, err := edit.Apply(s, &edit.Add{Track: s.Tracks[i].ID, Source: id, Start: k * length, Length: length})
			if err != nil {
				return nil, err
			}
			s = next
		}
	}
	return s, nil
}

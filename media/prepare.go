package media

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"blendseam/core/sound/pcm/wav"
	"blendseam/core/sound/timecode"
	"blendseam/durable"
)

// Prepare makes what is not there yet of a recording for a scene's rates: its sound at the sample rate, with peaks,
// and its pictures at the frame rate. Rates of zero are the recording's own.
func (l *Library) Prepare(ctx context.Context, info Info, rate int64, frames timecode.Rate) error {
	if l.prepared(info, rate, frames) {
		return nil
	}
	done, err := l.turn(ctx)
	if err != nil {
		return err
	}
	defer done()
	return l.prepareKept(ctx, info, rate, frames)
}

// prepared tells whether all is there.
func (l *Library) prepared(info Info, rate int64, frames timecode.Rate) bool {
	var files []string // within its folder
	if info.Rate > 0 {
		rate = cmp.Or(rate, int64(info.Rate))
		files = append(files, soundFile("", rate), peaksFile("", rate))
	}
	if info.Width > 0 {
		if frames.Num == 0 {
			frames = info.FrameRate
		}
		files = append(files, filepath.Join(picturesFolder("", frames), sheetFile(0)))
	}
	return len(files) > 0 && !slices.ContainsFunc(files, func(f string) bool {
		return !l.has(info.ID, f)
	})
}

func (l *Library) prepareKept(ctx context.Context, info Info, rate int64, frames timecode.Rate) error {
	unlock := l.lock(info.ID)
	defer unlock()
	original, err := l.Original(info.ID)
	if err != nil {
		return err
	}
	if l.prepared(info, rate, frames) { // by another process
		return nil
	}
	if err := l.dropBroken(info.ID); err != nil {
		return err
	}
	if _, err = l.prepare(ctx, l.folder(info.ID), original, info, rate, frames); err != nil {
		return full(err)
	}
	if err := l.settled(ctx, info.ID); err != nil {
		return err
	}
	return l.send(ctx, info.ID)
}

// dropBroken removes what was made of a recording and is not whole, so that it is made anew.
func (l *Library) dropBroken(id string) error {
	files, err := filesOf(l.folder(id))
	if err != nil {
		return err
	}
	return l.drop(id, slices.DeleteFunc(files, func(name string) bool {
		return IsOriginal(name) || name == InfoFile || l.whole(id, name)
	}))
}

// remade makes a file of a recording's folder anew that was made from the one that was brought in. An analysis is made
// when it is needed.
func (l *Library) remade(ctx context.Context, dir, original string, info Info, name string) error {
	var rate, num, den int64
	under, _, _ := strings.Cut(name, "/")
	switch {
	case scanned(name, "sound-%d.wav", &rate), scanned(name, "peaks-%d", &rate):
		_, err := l.prepareSound(ctx, dir, original, info.Name, rate)
		return err
	case scanned(under, "pictures-%d-%d", &num, &den):
		return preparePictures(ctx, l.work, dir, original, info.Name, timecode.Rate{Num: num, Den: den})
	}
	return nil
}

func scanned(name, form string, to ...any) bool {
	n, err := fmt.Sscanf(name, form, to...)
	return err == nil && n == len(to)
}

func (l *Library) prepare(
	ctx context.Context,
	dir, original string,
	info Info,
	rate int64,
	frames timecode.Rate,
) (damaged int64, err error) {
	if info.Rate > 0 {
		if damaged, err = l.prepareSound(ctx, dir, original, info.Name, cmp.Or(rate, int64(info.Rate))); err != nil {
			return damaged, err
		}
	}
	if info.Width > 0 {
		if frames.Num == 0 {
			frames = info.FrameRate
		}
		return damaged, preparePictures(ctx, l.work, dir, original, info.Name, frames)
	}
	return damaged, nil
}

func soundFile(dir string, rate int64) string {
	return filepath.Join(dir, fmt.Sprintf("sound-%d.wav", rate))
}

func (l *Library) prepareSound(ctx context.Context, dir, original, name string, rate int64) (damaged int64, err error) {
	to := soundFile(dir, rate)
	if !exists(to) {
		err := conformLink(original, to, rate)
		if errors.Is(err, errOtherRate) {
			err = l.conform(ctx, original, to, name, rate)
		}
		if err != nil {
			return 0, err
		}
	}
	if exists(peaksFile(dir, rate)) {
		return 0, nil
	}
	w, err := wav.Open(to)
	if err != nil {
		return 0, err
	}
	defer w.Close()
	if err := l.writePeaks(ctx, w, peaksFile(dir, rate)); err != nil {
		return 0, err
	}
	return w.Damaged(), nil
}

func (l *Library) conform(ctx context.Context, original, to, name string, rate int64) error {
	work, err := l.work.Dir()
	if err != nil {
		return full(err)
	}
	defer os.RemoveAll(work)
	part := filepath.Join(work, "sound.wav")
	if err = Conform(ctx, original, part, int(rate)); err == nil {
		return durable.Rename(part, to)
	}
	var none *DiskFull
	var much *Grown
	switch {
	case ctx.Err() != nil, errors.As(err, &none):
		return err
	case errors.As(err, &much):
		much.Name = name
		return much
	}
	return fmt.Errorf("%s", strings.ReplaceAll(err.Error(), filepath.Base(original), name))
}

// conformLink uses a WAV file as it is if it has the rate already.
func conformLink(original, to string, rate int64) error {
	w, err := wav.Open(original)
	if err != nil {
		return errOtherRate
	}
	defer w.Close()
	if int64(w.Format().Rate) != rate || w.Format().Channels > 2 {
		return errOtherRate
	}
	return os.Link(original, to)
}

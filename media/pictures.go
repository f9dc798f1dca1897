package media

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"

	"blendseam/core/sound/timecode"
	"blendseam/durable"
	"blendseam/scratch"
)

// Picture strips: every frame, small, in sheets of SheetColumns by SheetColumns.
const (
	PictureWidth  = 256
	PictureHeight = 144
	SheetColumns  = 8
)

func picturesFolder(dir string, rate timecode.Rate) string {
	return filepath.Join(dir, fmt.Sprintf("pictures-%d-%d", rate.Num, rate.Den))
}

func preparePictures(ctx context.Context, work *scratch.Place, dir, original, name string, rate timecode.Rate) error {
	to := picturesFolder(dir, rate)
	if _, err := os.Stat(to); err == nil {
		return nil
	}
	part, err := work.Dir()
	if err != nil {
		return full(err)
	}
	defer os.RemoveAll(part)
	filter := fmt.Sprintf(
		"fps=%d/%d:start_time=0,scale=%d:%d:force_original_aspect_ratio=decrease,"+
			"pad=%[3]d:%[4]d:(ow-iw)/2:(oh-ih)/2,tile=%[5]dx%[5]d",
		rate.Num,
		rate.Den,
		PictureWidth,
		PictureHeight,
		SheetColumns,
	)
	args := append([]string{"-v", "error", "-xerror"}, input(original)...)
	args = append(args, "-map", "0:v:0", "-an", "-vf", filter, "-q:v", "4", "-start_number", "0", "%05d.jpg")
	err = whileRoom(ctx, part, func(ctx context.Context) error {
		_, err := runWithin(ctx, bounds{path: original, dir: part}, "ffmpeg", args...)
		return err
	})
	if none := (*DiskFull)(nil); errors.As(err, &none) || ctx.Err() != nil {
		return err
	} else if err != nil {
		return fmt.Errorf(
			"the picture of %s is damaged or cannot be decoded (%s)",
			name,
			strings.ReplaceAll(err.Error(), original, name),
		)
	}
	if err := os.Chmod(part, 0o755); err != nil {
		return err
	}
	return durable.Rename(part, to)
}

// Sheet is the file of one sheet of pictures.
func (l *Library) Sheet(id string, rate timecode.Rate, sheet int) string {
	name := filepath.Join(picturesFolder("", rate), sheetFile(sheet))
	if err := l.here(id, name); err != nil {
		slog.Warn("pictures could not be fetched", "err", err)
	}
	return filepath.Join(l.folder(id), name)
}

func sheetFile(n int) string { return fmt.Sprintf("%05d.jpg", n) }

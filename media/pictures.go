package media

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"blendseam/core/timecode"
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

func preparePictures(ctx context.Context, dir, original, name string, rate timecode.Rate) error {
	to := picturesFolder(dir, rate)
	if _, err := os.Stat(to); err == nil {
		return nil
	}
	part := to + ".part"
	os.RemoveAll(part)
	if err := os.Mkdir(part, 0o755); err != nil {
		return err
	}
	defer os.RemoveAll(part)
	filter := fmt.Sprintf("fps=%d/%d:start_time=0,scale=%d:%d:force_original_aspect_ratio=decrease,pad=%[3]d:%[4]d:(ow-iw)/2:(oh-ih)/2,tile=%[5]dx%[5]d",
		rate.Num, rate.Den, PictureWidth, PictureHeight, SheetColumns)
	if _, err := run(ctx, "ffmpeg", "-v", "error", "-xerror", "-i", "file:"+original, "-map", "0:v:0", "-an", "-vf", filter, "-q:v", "4",
		"-start_number", "0", filepath.Join(part, "%05d.jpg")); err != nil {
		return fmt.Errorf("the picture of %s is damaged or cannot be decoded (%s)", name, strings.ReplaceAll(err.Error(), original, name))
	}
	return os.Rename(part, to)
}

// Sheet is the file of one sheet of pictures.
func (l *Library) Sheet(id string, rate timecode.Rate, sheet int) string {
	return filepath.Join(picturesFolder(l.folder(id), rate), fmt.Sprintf("%05d.jpg", sheet))
}

package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
)

// Raw gives the pictures of a film one after the other, upright, w × h: three bytes a
// pixel, red, green and blue, row by row. The bytes are each's only until it returns.
func Raw(ctx context.Context, path string, w, h int, each func(i int, rgb []byte) error) error {
	args := append([]string{"-nostdin", "-v", "error"}, local...)
	args = append(args, "-i", given, "-map", "0:v:0", "-fps_mode", "passthrough", "-vf", "scale="+strconv.Itoa(w)+":"+strconv.Itoa(h), "-f", "rawvideo", "-pix_fmt", "rgb24", "pipe:1")
	film, err := open(path)
	if err != nil {
		return err
	}
	defer film.Close()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	said := &complaint{}
	cmd := tool(ctx, film, nil, "ffmpeg", args...)
	cmd.Stderr = said
	out, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return Unfinished{err}
	}
	picture := make([]byte, 3*w*h)
	i := 0
	for ; ; i++ {
		if _, err = io.ReadFull(out, picture); err != nil {
			break
		}
		if err = each(i, picture); err != nil {
			cancel()
			_ = cmd.Wait()
			return err
		}
	}
	if _, werr := verdict(ctx, cmd.Wait(), said); werr != nil {
		return werr
	}
	if !errors.Is(err, io.EOF) {
		return fmt.Errorf("picture %d: %w", i, err)
	}
	return nil
}

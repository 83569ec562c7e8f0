package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"image"
	"image/png"

	"github.com/jackc/pgx/v5"
	"golang.org/x/image/draw"
)

// ThumbWidth is the width of thumbnails in pixels: twice what the weave shows.
const ThumbWidth = 160

// thumbnail is a picture's hash and a small copy of it as PNG.
func thumbnail(raw []byte) (hash string, small []byte, err error) {
	m, err := png.Decode(bytes.NewReader(raw))
	if err != nil {
		return "", nil, fmt.Errorf("picture: %w", err)
	}
	b := m.Bounds()
	w := min(ThumbWidth, b.Dx())
	t := image.NewRGBA(image.Rect(0, 0, w, max(1, (b.Dy()*w+b.Dx()/2)/b.Dx())))
	draw.BiLinear.Scale(t, t.Bounds(), m, b, draw.Src, nil)
	var out bytes.Buffer
	err = png.Encode(&out, t)
	sum := sha256.Sum256(raw)
	return hex.EncodeToString(sum[:]), out.Bytes(), err
}

// Picture is a picture's bytes by its hash.
func (s *Store) Picture(ctx context.Context, hash string) ([]byte, error) {
	return s.png(ctx, `SELECT png FROM pictures WHERE hash = $1`, hash)
}

// Thumbnail is its small copy.
func (s *Store) Thumbnail(ctx context.Context, hash string) ([]byte, error) {
	return s.png(ctx, `SELECT png FROM thumbnails WHERE hash = $1`, hash)
}

func (s *Store) png(ctx context.Context, sql, hash string) (b []byte, err error) {
	err = s.Pool.QueryRow(ctx, sql, hash).Scan(&b)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return b, err
}

package library

import (
	"bytes"
	"context"
	"image"
	_ "image/jpeg" // pictures of cards
	_ "image/png"
	"io"

	"visator/app/act"
	"visator/core/photometry"
	"visator/store"
)

// Panorama takes in a picture for the sky, Radiance or OpenEXR, and returns its blob, and what is worth saying of it.
func (a *Library) Panorama(ctx context.Context, r io.Reader) (blob, note string, err error) {
	const limit = 512 << 20 // the largest panoramas on sale
	hash, _, err := a.Store.PutBlob(ctx, r, limit)
	if err != nil {
		return "", "", notKept("The panorama", err)
	}
	p, err := a.SkyPicture(ctx, hash) // it is shown next, and kept for that
	if err != nil {
		return "", "", err
	}
	return hash, p.Note, nil
}

// Photometry is what a photometric file says that was taken in.
type Photometry struct {
	Blob   string   `json:"blob"`
	Name   string   `json:"name"`
	Lumens float64  `json:"lumens"`
	Doubts []string `json:"doubts"`
}

// Photometry takes in a photometric file for a lamp; name is the file's.
func (a *Library) Photometry(ctx context.Context, name string, r io.Reader) (p Photometry, err error) {
	data, err := io.ReadAll(io.LimitReader(r, photometry.MaxFile+1))
	if err != nil {
		return p, notKept("The photometric file", err)
	}
	w, err := photometry.Read(bytes.NewReader(data))
	if err != nil {
		return p, act.Wrong("%s: %v", name, err)
	}
	p = Photometry{Name: w.Name, Lumens: w.Lumens(), Doubts: w.Doubts()}
	if p.Name == "" {
		p.Name = name
	}
	if p.Blob, _, err = a.Store.PutBlob(ctx, bytes.NewReader(data), photometry.MaxFile); err != nil {
		return p, notKept("The photometric file", err)
	}
	return p, nil
}

// CardPicture keeps a picture for a card: PNG or JPEG, of at most 64 MB.
func (a *Library) CardPicture(ctx context.Context, r io.Reader) (string, error) {
	const limit = 64 << 20 // a photograph of a hundred megapixels
	hash, _, err := a.Store.PutBlob(ctx, r, limit)
	if err != nil {
		return "", notKept("The picture", err)
	}
	data, err := a.Store.ReadBlob(ctx, hash)
	if err != nil {
		return "", err
	}
	if _, kind, err := image.DecodeConfig(bytes.NewReader(data)); err != nil || kind != "png" && kind != "jpeg" {
		return "", act.Wrong("That is not a PNG or JPEG picture; convert it first.")
	}
	return hash, nil
}

// notKept says why something that was handed in is not kept.
func notKept(what string, err error) error {
	if store.Full(err) {
		return act.DiskFull
	}
	return act.Wrong("%s could not be kept: %v", what, err)
}

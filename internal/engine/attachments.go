package engine

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/google/renameio/v2"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/store"
)

// attachments is the folder of the files that came with messages, by hash.
const attachments = "attachments"

// attach puts a file that came with a message on the disk. One of the same content is kept
// once; one that no message refers to in the end is swept away.
func (w *Workspace) attach(f channel.File) (store.Attachment, error) {
	sum := sha256.Sum256(f.Bytes)
	kept := store.Attachment{Hash: hex.EncodeToString(sum[:]), Name: f.Name, Type: f.Type, Bytes: len(f.Bytes), Inline: f.Inline}
	return kept, renameio.WriteFile(filepath.Join(w.folder, attachments, kept.Hash), f.Bytes, 0o600)
}

// detach removes a file that no message refers to any more.
func (w *Workspace) detach(hash string) error {
	err := os.Remove(filepath.Join(w.folder, attachments, hash))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// Attachments returns the files that came with the messages of a conversation, by message.
func (i *Inbox) Attachments(ctx context.Context, conversation string) (map[string][]store.Attachment, error) {
	return i.w.store.Attachments(ctx, conversation)
}

// Attachment opens one file of a message, counted from 0; store.ErrNotFound if there is none.
func (i *Inbox) Attachment(ctx context.Context, message string, position int) (store.Attachment, *os.File, error) {
	a, err := i.w.store.Attachment(ctx, message, position)
	if err != nil {
		return a, nil, err
	}
	file, err := os.Open(filepath.Join(i.w.folder, attachments, a.Hash))
	if errors.Is(err, fs.ErrNotExist) {
		return a, nil, store.ErrNotFound
	}
	return a, file, err
}

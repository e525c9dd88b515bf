package engine

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"os"
)

// keySize is the size of the sealing key, for AES-256.
const keySize = 32

// loadKey reads the workspace's key file, making it for a new workspace.
func loadKey(name string) ([]byte, error) {
	key, err := os.ReadFile(name)
	if errors.Is(err, fs.ErrNotExist) {
		key = make([]byte, keySize)
		if _, err := rand.Read(key); err != nil {
			return nil, err
		}
		return key, os.WriteFile(name, key, 0o600)
	}
	if err == nil && len(key) != keySize {
		err = fmt.Errorf("the key file %s has %d bytes; it should have %d: put the right one back, secrets cannot be read without it", name, len(key), keySize)
	}
	return key, err
}

// derive makes a key for one purpose out of the workspace's.
func derive(key []byte, purpose string) ([]byte, error) {
	return hkdf.Key(sha256.New, key, nil, purpose, keySize)
}

// seal encrypts a secret (AES-256-GCM). The name is bound to it, so that a
// sealed secret cannot be passed off as another one.
func seal(key []byte, name, secret string) ([]byte, error) {
	aead, err := sealer(key)
	if err != nil {
		return nil, err
	}
	return aead.Seal(nil, nil, []byte(secret), []byte(name)), nil
}

func unseal(key []byte, name string, sealed []byte) (string, error) {
	aead, err := sealer(key)
	if err != nil {
		return "", err
	}
	secret, err := aead.Open(nil, nil, sealed, []byte(name))
	if err != nil {
		return "", fmt.Errorf("the secret of %s cannot be opened with this key file", name)
	}
	return string(secret), nil
}

func sealer(key []byte) (cipher.AEAD, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	return cipher.NewGCMWithRandomNonce(block)
}

package afar

import (
	"crypto/ecdsa"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
)

// secrets are what a helper keeps so that its pairing outlives it; in JSON, with the key as
// PKCS #8 (RFC 5208) and the certificate in DER.
type secrets struct {
	Version           string
	Secret, Cert, Key []byte
}

// Kept makes a helper with the secret and key of a file, which only its owner reads; where
// there is none it is written. The address is not kept. Errors say what is wrong with the
// file.
func Kept(path, addr string) (*Helper, error) {
	data, err := os.ReadFile(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return keepNew(path, addr)
	case err != nil:
		return nil, err
	}
	var s secrets
	if err := json.Unmarshal(data, &s); err != nil || s.Version != Version {
		return nil, fmt.Errorf("%s is no file that vestpin afar wrote", path)
	}
	key, err := x509.ParsePKCS8PrivateKey(s.Key)
	own, isEC := key.(*ecdsa.PrivateKey)
	cert, certErr := x509.ParseCertificate(s.Cert)
	if err != nil || !isEC || certErr != nil || !own.PublicKey.Equal(cert.PublicKey) {
		return nil, fmt.Errorf("%s holds no key and certificate that belong together", path)
	}
	h, err := New(addr)
	if err != nil {
		return nil, err
	}
	if copy(h.pairing.Secret[:], s.Secret); len(s.Secret) != len(h.pairing.Secret) {
		return nil, fmt.Errorf("%s holds no whole secret", path)
	}
	h.cert = tls.Certificate{Certificate: [][]byte{s.Cert}, PrivateKey: own}
	h.pairing.Key = sha256.Sum256(s.Cert)
	return h, nil
}

func keepNew(path, addr string) (*Helper, error) {
	h, err := New(addr)
	if err != nil {
		return nil, err
	}
	key, err := x509.MarshalPKCS8PrivateKey(h.cert.PrivateKey)
	if err != nil {
		return nil, err
	}
	data, err := json.Marshal(secrets{Version, h.pairing.Secret[:], h.cert.Certificate[0], key})
	if err != nil {
		return nil, err
	}
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	_, err = f.Write(data)
	return h, errors.Join(err, f.Close())
}

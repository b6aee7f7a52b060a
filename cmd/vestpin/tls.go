package main

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// certificate is what connections are encrypted with: the user's own where files
// are named, else the program's, made once and kept beside its data. The fingerprint
// is that of the program's own; people compare it when their browser warns.
func certificate(dir, certFile, keyFile string) (cert tls.Certificate, fingerprint string, err error) {
	if (certFile == "") != (keyFile == "") {
		return cert, "", errors.New("--tls-cert and --tls-key: want both or none")
	}
	if certFile != "" {
		cert, err = tls.LoadX509KeyPair(certFile, keyFile)
		return cert, "", err
	}
	certFile, keyFile = filepath.Join(dir, "tls-cert.pem"), filepath.Join(dir, "tls-key.pem")
	cert, err = tls.LoadX509KeyPair(certFile, keyFile)
	if err != nil || !stillGood(cert) {
		if err := makeCertificate(dir, certFile, keyFile); err != nil {
			return cert, "", err
		}
		if cert, err = tls.LoadX509KeyPair(certFile, keyFile); err != nil {
			return cert, "", err
		}
	}
	sum := sha256.Sum256(cert.Certificate[0])
	return cert, strings.ReplaceAll(fmt.Sprintf("% X", sum), " ", ":"), nil
}

// stillGood reports whether a certificate lasts another month and names the
// addresses that this computer has now.
func stillGood(cert tls.Certificate) bool {
	leaf, err := x509.ParseCertificate(cert.Certificate[0])
	if err != nil || time.Until(leaf.NotAfter) < 30*24*time.Hour {
		return false
	}
	for _, a := range ownAddresses() {
		if !slices.ContainsFunc(leaf.IPAddresses, a.Equal) {
			return false
		}
	}
	return true
}

func makeCertificate(dir, certFile, keyFile string) error {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	key, err := ownKey(keyFile)
	if err != nil {
		return err
	}
	serial, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		return err
	}
	name, _ := os.Hostname()
	leaf := x509.Certificate{
		SerialNumber: serial, Subject: pkix.Name{CommonName: "Vest Pin on " + name}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().AddDate(2, 0, 0),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}, BasicConstraintsValid: true,
		DNSNames: []string{"localhost"}, IPAddresses: append(ownAddresses(), net.IPv4(127, 0, 0, 1), net.IPv6loopback),
	}
	if name != "" {
		leaf.DNSNames = append(leaf.DNSNames, name)
	}
	der, err := x509.CreateCertificate(rand.Reader, &leaf, &leaf, key.Public(), key)
	if err != nil {
		return err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	return errors.Join(
		os.WriteFile(keyFile, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600),
		os.WriteFile(certFile, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
}

// ownKey is the key that was made once; it stays when a certificate with other addresses is made.
func ownKey(keyFile string) (*ecdsa.PrivateKey, error) {
	if data, err := os.ReadFile(keyFile); err == nil {
		if block, _ := pem.Decode(data); block != nil {
			if key, err := x509.ParsePKCS8PrivateKey(block.Bytes); err == nil {
				if own, ok := key.(*ecdsa.PrivateKey); ok {
					return own, nil
				}
			}
		}
	}
	return ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
}

// ownAddresses are the IPv4 addresses at which others reach this computer.
func ownAddresses() []net.IP {
	all, _ := net.InterfaceAddrs()
	var out []net.IP
	for _, a := range all {
		if n, ok := a.(*net.IPNet); ok && n.IP.To4() != nil && !n.IP.IsLoopback() {
			out = append(out, n.IP)
		}
	}
	return out
}

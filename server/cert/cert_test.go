package cert

import (
	"bytes"
	"crypto/tls"
	"crypto/x509"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"testing"
	"time"
)

var (
	now  = time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	home = []net.IP{net.IPv4(127, 0, 0, 1)}
)

// A device that trusts the authority can open the page by name and address,
// and others cannot.
func TestDevicesThatTrustTheAuthorityGetIn(t *testing.T) {
	own, err := For(t.TempDir(), time.Now(), []string{"track.local"}, home)
	if err != nil {
		t.Fatal(err)
	}
	s := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {}))
	s.TLS = &tls.Config{Certificates: []tls.Certificate{own.Leaf}}
	s.StartTLS()
	defer s.Close()
	authority, err := x509.ParseCertificate(own.Authority)
	if err != nil {
		t.Fatal(err)
	}
	pool := x509.NewCertPool()
	pool.AddCert(authority)
	for _, name := range []string{"", "track.local"} {
		trusting := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool, ServerName: name}}}
		if _, err := trusting.Get(s.URL); err != nil {
			t.Errorf("a device that trusts it, by %q: %v", name, err)
		}
	}
	if _, err := http.Get(s.URL); err == nil {
		t.Error("a device that knows nothing gets in")
	}
}

// The authority stays, so that devices need to trust it once; the certificate
// follows the machine's addresses and the calendar.
func TestTheAuthorityStaysAndTheCertificateFollows(t *testing.T) {
	folder := t.TempDir()
	at := func(when time.Time, addresses ...net.IP) Own {
		t.Helper()
		own, err := For(folder, when, []string{"localhost"}, addresses)
		if err != nil {
			t.Fatal(err)
		}
		return own
	}
	first := at(now, home...)
	if again := at(now.Add(100*24*time.Hour), home...); !bytes.Equal(first.Leaf.Certificate[0], again.Leaf.Certificate[0]) {
		t.Error("a good certificate was made anew")
	}
	moved := at(now, home[0], net.IPv4(192, 0, 2, 7))
	if moved.Leaf.Leaf.VerifyHostname("192.0.2.7") != nil || !bytes.Equal(first.Authority, moved.Authority) {
		t.Error("a new address is not served, or needs a new authority")
	}
	late := at(now.Add(380*24*time.Hour), home...)
	if bytes.Equal(late.Leaf.Certificate[0], moved.Leaf.Certificate[0]) || late.Leaf.Leaf.NotAfter.Sub(late.Leaf.Leaf.NotBefore) > 398*24*time.Hour {
		t.Error("a certificate that ends soon stays, or lasts longer than phones allow")
	}
	secrets, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range secrets {
		if i, err := f.Info(); err != nil || i.Mode().Perm() != 0o600 {
			t.Errorf("%s may be read by others: %v", f.Name(), i.Mode())
		}
	}
}

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
	moved := at(now, home[0], net.IPv4(192, 168, 2, 7))
	if moved.Leaf.Leaf.VerifyHostname("192.168.2.7") != nil || !bytes.Equal(first.Authority, moved.Authority) {
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

// The authority speaks for this machine's names and for local addresses, and for
// nobody else; one from before that did not is made anew.
func TestTheAuthorityIsBound(t *testing.T) {
	folder := t.TempDir()
	own, err := For(folder, now, []string{"track.local"}, home)
	if err != nil {
		t.Fatal(err)
	}
	ca, err := load(folder, "authority")
	if err != nil {
		t.Fatal(err)
	}
	pool := x509.NewCertPool()
	pool.AddCert(ca.Leaf)
	for name, good := range map[string]bool{"track.local": true, "bank.example": false} {
		leaf, err := makeLeaf(t.TempDir(), ca, now, []string{name}, nil)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := leaf.Leaf.Verify(x509.VerifyOptions{Roots: pool, DNSName: name, CurrentTime: now}); good != (err == nil) {
			t.Errorf("a certificate for %s: %v", name, err)
		}
	}
	for address, good := range map[string]bool{"192.168.7.9": true, "127.0.0.1": true, "8.8.8.8": false} {
		leaf, err := makeLeaf(t.TempDir(), ca, now, nil, []net.IP{net.ParseIP(address)})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := leaf.Leaf.Verify(x509.VerifyOptions{Roots: pool, CurrentTime: now}); good != (err == nil) {
			t.Errorf("a certificate for %s: %v", address, err)
		}
	}
	if life := ca.Leaf.NotAfter.Sub(ca.Leaf.NotBefore); life > authorityLasts+24*time.Hour {
		t.Errorf("it lasts %v", life)
	}
	public, err := For(folder, now, []string{"track.local"}, append(home, net.IPv4(203, 0, 113, 5)))
	if err != nil || !public.Anew || bytes.Equal(public.Authority, own.Authority) {
		t.Errorf("with an address of its own on the internet: anew %v, %v", public.Anew, err)
	}
	// As an older program made it: for ten years, for every name.
	old := t.TempDir()
	if _, err := issue(old, "authority", &x509.Certificate{NotBefore: now, NotAfter: now.AddDate(10, 0, 0), IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign}, nil); err != nil {
		t.Fatal(err)
	}
	if again, err := For(old, now, []string{"track.local"}, home); err != nil || !again.Anew {
		t.Errorf("an unbound authority stays: %v", err)
	}
}

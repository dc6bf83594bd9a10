package e2e

import (
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"
)

type answer struct {
	*http.Response
	body string
}

// httpForm sends a form as the site's own page does, and follows where it leads.
func httpForm(to string, v url.Values) (answer, error) {
	req, err := http.NewRequest(http.MethodPost, to, strings.NewReader(v.Encode()))
	if err != nil {
		return answer{}, err
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("Sec-Fetch-Site", "same-origin")
	r, err := http.DefaultClient.Do(req)
	if err != nil {
		return answer{}, err
	}
	defer r.Body.Close()
	body, err := io.ReadAll(r.Body)
	return answer{r, string(body)}, err
}

// crossSite sends what a page of another site would make the browser send.
func crossSite(t *testing.T, to string) int {
	t.Helper()
	return status(t, to, func(r *http.Request) {
		r.Method = http.MethodPost
		r.Header.Set("Sec-Fetch-Site", "cross-site")
		r.Header.Set("Origin", "http://example.org")
	})
}

// otherHost asks for the server under a name that is not loopback.
func otherHost(t *testing.T, to string) int {
	t.Helper()
	return status(t, to, func(r *http.Request) { r.Host = "example.org" })
}

func status(t *testing.T, to string, change func(*http.Request)) int {
	t.Helper()
	req, err := http.NewRequest(http.MethodGet, to, strings.NewReader("{}"))
	if err != nil {
		t.Fatal(err)
	}
	change(req)
	r, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	r.Body.Close()
	return r.StatusCode
}

package client_test

import (
	"testing"

	"rolltop.example/rolltop/internal/client"
)

func TestInTheOpen(t *testing.T) {
	for address, open := range map[string]bool{
		"https://rolltop.example": false, "http://127.0.0.1:8470": false, "http://[::1]:8470": false,
		"http://localhost:8470":  false,
		"http://rolltop.example": true, "http://192.0.2.1:8470": true, "http://[2001:db8::1]": true,
		"http://localhost.example": true,
	} {
		t.Run(address, func(t *testing.T) {
			c, err := client.New(address, "")
			if err != nil {
				t.Fatal(err)
			}
			if says := c.InTheOpen(); (says != "") != open {
				t.Errorf("%s: %q", address, says)
			}
		})
	}
}

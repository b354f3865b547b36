package web

import (
	"context"
	"net/http"
	"time"
)

// A DeviceAnswer gives the browser its cookie.
type DeviceAnswer struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

// Known gives the browser the secret by which it is known from now on; empty: it keeps the one it has.
func (a *Web) Known(ctx context.Context, device string) *DeviceAnswer {
	if device == "" {
		return a.WithDevice(ctx)
	}
	return &DeviceAnswer{a.Cookie(deviceCookie, device, time.Now().Add(deviceLife))}
}

// WithDevice gives the browser the secret that its request is known by.
func (a *Web) WithDevice(ctx context.Context) *DeviceAnswer {
	return &DeviceAnswer{a.Cookie(deviceCookie, From(ctx).Device, time.Now().Add(deviceLife))}
}

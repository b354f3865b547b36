package studio

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"image/png"
	"net/http"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/web"
	"aftergust/internal/who/account"

	"github.com/danielgtaylor/huma/v2"
	"github.com/pquerna/otp"
)

type passkeyView struct {
	ID         string     `json:"id"`
	Label      string     `json:"label"`
	CreatedAt  time.Time  `json:"created_at"`
	LastUsedAt *time.Time `json:"last_used_at"`
}

type factorsView struct {
	App      bool          `json:"app" doc:"codes of an app are on"`
	Passkeys []passkeyView `json:"passkeys"`
	Recovery int           `json:"recovery" doc:"recovery codes that are left"`
	Possible bool          `json:"possible" doc:"whether there can be passkeys under this address"`
}

type appKeyView struct {
	ID     string `json:"id" doc:"by which it is confirmed"`
	Secret string `json:"secret" doc:"to type into the app"`
	Image  string `json:"image" doc:"to be read by the app, as a data URL"`
}

type recoveryView struct {
	Recovery []string `json:"recovery" doc:"codes for who loses all of it, shown this once; empty where there are some already"`
}

type askedView struct {
	ID      string          `json:"id" doc:"by which it is answered"`
	Options json.RawMessage `json:"options" doc:"for navigator.credentials, as JSON"`
}

type passkeyInput struct {
	Body struct {
		ID     string          `json:"id" maxLength:"40"`
		Label  string          `json:"label,omitempty" maxLength:"200" doc:"which device it is on"`
		Answer json.RawMessage `json:"answer" doc:"of navigator.credentials, as JSON"`
	}
}

func asked(id string, options any, err error) (*web.Body[askedView], error) {
	if err != nil {
		return nil, err
	}
	raw, err := json.Marshal(options)
	return &web.Body[askedView]{Body: askedView{id, raw}}, err
}

func recovery(codes []string, err error) (*web.Body[recoveryView], error) {
	return &web.Body[recoveryView]{Body: recoveryView{ground.OrEmpty(codes)}}, err
}

// qrSize is how large the picture for an app is, in pixels.
const qrSize = 232

func viewAppKey(k account.AppKey) (appKeyView, error) {
	picture, err := pictureOf(k.Image)
	return appKeyView{k.ID, k.Secret, picture}, err
}

func pictureOf(key *otp.Key) (string, error) {
	image, err := key.Image(qrSize, qrSize)
	if err != nil {
		return "", err
	}
	var raw bytes.Buffer
	err = png.Encode(&raw, image)
	return "data:image/png;base64," + base64.StdEncoding.EncodeToString(raw.Bytes()), err
}

// secondOperations are about the second factor, and about showing again who one is.
func (a Routes) secondOperations() {
	a.passkeyOperations()
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/account/proof", "prove", "Show again who you are, before what needs it"), web.AsMember(
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				Password string `json:"password" maxLength:"500"`
			}
		}) (*web.None, error) {
			return nil, a.Web.Account.Prove(ctx, m, web.From(ctx).SignIn, in.Body.Password, web.From(ctx).Host)
		}))
	web.Add(a.Web, web.StudioOp(http.MethodGet, "/account/factors", "factors", "What you have beside the password"), web.AsMember(
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[factorsView], error) {
			have, err := a.Second.Factors(ctx, m)
			v := factorsView{App: have.App, Recovery: have.Recovery, Passkeys: []passkeyView{}, Possible: a.Second.Passkeys()}
			for _, p := range have.Passkeys {
				v.Passkeys = append(v.Passkeys, passkeyView{p.ID, p.Label, p.CreatedAt, p.LastUsedAt})
			}
			return &web.Body[factorsView]{Body: v}, err
		}))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/account/app", "begin-app", "Get a secret for an app that shows codes"), web.AsMember(web.Proven(a.Web,
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[appKeyView], error) {
			k, err := a.Second.BeginApp(ctx, m)
			if err != nil {
				return nil, err
			}
			v, err := viewAppKey(k)
			return &web.Body[appKeyView]{Body: v}, err
		})))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/account/app", "confirm-app", "Turn codes of an app on, with one that it shows"), web.AsMember(web.Proven(a.Web,
		func(ctx context.Context, m account.Member, in *struct {
			Body struct {
				ID   string `json:"id" maxLength:"40"`
				Code string `json:"code" maxLength:"40"`
			}
		}) (*web.Body[recoveryView], error) {
			return recovery(a.Second.ConfirmApp(ctx, m, in.Body.ID, in.Body.Code, web.From(ctx).Host))
		})))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/account/app", "remove-app", "Turn codes of an app off"), web.AsMember(web.Proven(a.Web,
		func(ctx context.Context, m account.Member, _ *web.None) (*web.None, error) {
			return nil, a.Second.RemoveApp(ctx, m, web.From(ctx).Host)
		})))
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/account/recovery", "renew-recovery", "Make new recovery codes in place of the old"), web.AsMember(web.Proven(a.Web,
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[recoveryView], error) {
			return recovery(a.Second.RenewRecovery(ctx, m, web.From(ctx).Host))
		})))
}

// passkeyOperations are made of two steps each: what a browser is asked, and its answer.
func (a Routes) passkeyOperations() {
	web.Add(a.Web, web.StudioOp(http.MethodPost, "/account/passkeys", "begin-passkey", "Ask this browser to make a passkey"), web.AsMember(web.Proven(a.Web,
		func(ctx context.Context, m account.Member, _ *web.None) (*web.Body[askedView], error) {
			return asked(a.Second.BeginPasskey(ctx, m))
		})))
	web.Add(a.Web, web.StudioOp(http.MethodPut, "/account/passkeys", "finish-passkey", "Keep the passkey that it made"), web.AsMember(web.Proven(a.Web,
		func(ctx context.Context, m account.Member, in *passkeyInput) (*web.Body[recoveryView], error) {
			return recovery(a.Second.FinishPasskey(ctx, m, in.Body.ID, in.Body.Label, in.Body.Answer, web.From(ctx).Host))
		})))
	web.Add(a.Web, web.StudioOp(http.MethodDelete, "/account/passkeys/{id}", "remove-passkey", "Make a passkey worthless"), web.AsMember(web.Proven(a.Web,
		func(ctx context.Context, m account.Member, in *web.ByID) (*web.None, error) {
			return nil, a.Second.RemovePasskey(ctx, m, in.ID, web.From(ctx).Host)
		})))
	op := func(method, id, summary string) huma.Operation {
		return huma.Operation{Method: method, Path: "/api/v1/session/passkey", OperationID: id, Summary: summary, Tags: []string{"Studio"}}
	}
	web.Add(a.Web, op(http.MethodPost, "begin-sign-in", "Ask a browser for a passkey"), func(ctx context.Context, _ *web.None) (*web.Body[askedView], error) {
		return asked(a.Second.BeginSignIn(ctx))
	})
	web.Add(a.Web, op(http.MethodPut, "finish-sign-in", "Sign in with a passkey"), func(ctx context.Context, in *passkeyInput) (*signedIn, error) {
		m, err := a.Second.FinishSignIn(ctx, in.Body.ID, in.Body.Answer, web.From(ctx).Host)
		if err != nil {
			return nil, err
		}
		return a.begin(ctx, m)
	})
}

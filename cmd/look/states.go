package main

import (
	"context"
	"encoding/json"
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"aftergust/e2e"
	"aftergust/internal/dev/demo"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// hangs lets requests for an address wait for ever, fails lets them fail as a server does, so that busy
// and failed states can be looked at.
func hangs(address string) string {
	return fmt.Sprintf(`{ const real = fetch; window.fetch = (r, o) => (r.url ?? String(r)).includes(%q) ? new Promise(() => {}) : real(r, o); }`, address)
}

func fails(address string) string {
	return fmt.Sprintf(`{ const real = fetch; window.fetch = (r, o) => (r.url ?? String(r)).includes(%q)
		? Promise.resolve(new Response(JSON.stringify({code: 'fault', detail: 'Something failed on our side. What was saved before is safe. ' +
			'Try again in a minute; if it stays, the log has more under K4TP2QXR.'}),
			{status: 500, headers: {'Content-Type': 'application/problem+json'}})) : real(r, o); }`, address)
}

// answers gives an answer of our own, for what a demo does not have: an empty studio.
func answers(address, body string) string {
	return fmt.Sprintf(`{ const real = fetch; window.fetch = (r, o) => (r.url ?? String(r)).split('?')[0].endsWith(%q)
		? Promise.resolve(new Response(%q, {headers: {'Content-Type': 'application/json'}})) : real(r, o); }`, address, body)
}

// sends lets files begin to go up and come to two fifths, or be refused. Nothing of it reaches the studio.
func sends(refused bool) string {
	return fmt.Sprintf(`{ const refused = %v, real = XMLHttpRequest.prototype.send, open = XMLHttpRequest.prototype.open
		XMLHttpRequest.prototype.open = function (method, url, ...rest) { this.asked = [method, url]; open.call(this, method, url, ...rest) }
		XMLHttpRequest.prototype.send = function (body) {
			const [method, url] = this.asked
			if (!String(url).includes('/api/v1/uploads')) return real.call(this, body)
			const is = (name, value) => Object.defineProperty(this, name, {value})
			if (method === 'PATCH') return void setTimeout(() => this.upload.onprogress?.({lengthComputable: true, loaded: body.size * 0.4}), 50)
			is('status', refused ? 413 : 201)
			is('responseText', refused ? '{"detail":"The studio has no room for this. Free some, then try again; nothing is lost."}' : '')
			is('getResponseHeader', name => name === 'Location' ? '/api/v1/uploads/made-up' : null)
			is('getAllResponseHeaders', () => '')
			setTimeout(() => this.onload(), 50)
		} }`, refused)
}

// deskOf is the answer of a Desk with so many packages out, for clients of all kinds.
func deskOf(many int) string {
	clients := []string{"Kelpwick Harbour Museum", "Brindlefen Ceramics", "Northmoor Cycle Week", "Sallow & Thrift", "Harbour Radio", "The Quay Theatre",
		"Ottery Mills", "", "Fenwick Signal Works", "Moss Street Choir"}
	works := []string{"Teaser", "Lifeboat film", "Poster set", "Stems for the mix", "Exhibition stills", "Audio guide", "Rushes", "Cut-downs"}
	at := func(hours int) string {
		return time.Now().Add(time.Duration(hours) * time.Hour).UTC().Format(time.RFC3339)
	}
	rows := make([]map[string]any, many)
	for i := range rows {
		sent, left := 20+i*37%400, 3+i*53%700
		strands, have := []map[string]any{}, 0
		for k := range 1 + i*7%40 {
			s := map[string]any{"id": fmt.Sprintf("l%d-%d", i, k), "name": fmt.Sprintf("Person %d", k), "status": "opened", "saying": "has nothing", "zone": "",
				"outstanding": true}
			if (i+k)%3 > 0 {
				s["completed_at"], s["status"], s["outstanding"] = at(-sent+1+k*sent/45), "everything", false
				have++
			}
			strands = append(strands, s)
		}
		state := "out"
		if left < 48 {
			state = "closing"
		}
		rows[i] = map[string]any{"id": fmt.Sprintf("p%d", i), "title": fmt.Sprintf("%s %d", works[i*5%len(works)], i), "client": clients[i*3%len(clients)],
			"state": state, "share": fmt.Sprintf("%d of %d have it", have, len(strands)), "left": "some days", "created_at": at(-sent), "sent_at": at(-sent),
			"ends_at": at(left), "reminders": []int{72, 24, 3}, "zone": "Europe/London", "strands": strands}
	}
	body, _ := json.Marshal(map[string]any{"now": at(0), "out": rows, "needs": []any{}, "outstanding": []any{}, "freed": []any{}, "used": 0,
		"quota": 500_000_000_000, "used_saying": "0 of 500 GB"})
	return string(body)
}

type places func(names ...string) string

// Who is here, and what they saw, as the server would say it.
const (
	hereNow = `[{"recipient":"a","name":"P. Anstey","package":"p","title":"Lifeboat, cut 3","item":"i","doing":"takes","place":2100000000,"size":3200000000,
		"rate":4200000,"saying":"takes Lifeboat, cut 3.mov: 2.1 GB of 3.2 GB, 4.2 MB/s, done in 4 min"},
		{"recipient":"b","name":"Hanne Orrick","package":"p","title":"Lifeboat, cut 3","item":"i","doing":"plays","place":41000,"size":1,"rate":0,
		"saying":"plays Lifeboat, cut 3.mov at 0:41"},{"recipient":"c","name":"Tomos Gethin","package":"q","title":"Audio guide, three languages","item":"",
		"doing":"here","place":0,"size":0,"rate":0,"saying":"has the page open"}]`
	nobodySaw = `{"item":"i","length_ms":75000,"curve":[{"times":0,"people":0}],"pages_ms":[],"lefts_ms":[],"people":[{"recipient":"a","name":"Hanne Orrick",
		"removed":false,"saying":"has not looked at it yet","curve":[],"pages_ms":[],"viewings":0,"seen_ms":0,"played_ms":0,"backs":[],"left_at_ms":null,
		"pages":0,"stayed_ms":0}]}`
	pagesSeen = `{"item":"i","length_ms":0,"curve":[],"pages_ms":[42000,0,65000,8000],"lefts_ms":[],"people":[{"recipient":"a","name":"Hanne Orrick",
		"removed":false,"saying":"had 3 of 4 pages in front for 1:55","curve":[],"pages_ms":[42000,0,65000,8000],"viewings":2,"seen_ms":0,"played_ms":0,
		"backs":[],"left_at_ms":null,"pages":3,"stayed_ms":115000}]}`
)

// Webhooks that do not go well, as the server would say it.
const (
	hooksInTrouble = `[{"id":"a","address":"https://hooks.lowtide.example/aftergust","kinds":["has_all","noted"],"on":true,"why_off":"",
		"failed_at":"2026-11-26T19:00:00Z","took_at":"2026-11-26T12:00:00Z","both_until":null},{"id":"b","address":"https://old.lowtide.example/told",
		"kinds":["has_all"],"on":false,"why_off":"it answered 410: nobody wants anything there any more","failed_at":null,"took_at":null,"both_until":null}]`
	hookMessages = `{"next":"","messages":[{"id":"1","kind":"has_all","word":"Has everything","title":"Lifeboat, cut 3","at":"2026-11-26T19:00:00Z",
		"state":"waiting","tries":3,"next_at":"2026-11-26T19:30:00Z","tried_at":"2026-11-26T19:00:00Z","status":503,"took_ms":12,"says":"We rest until seven."},
		{"id":"2","kind":"noted","word":"Note","title":"Audio guide, three languages","at":"2026-11-26T12:00:00Z","state":"taken","tries":1,"next_at":null,
		"tried_at":"2026-11-26T12:00:00Z","status":204,"took_ms":31,"says":""},{"id":"3","kind":"has_all","word":"Has everything","title":"Exhibition stills",
		"at":"2026-11-22T09:00:00Z","state":"given_up","tries":10,"next_at":null,"tried_at":"2026-11-25T12:00:00Z","status":0,"took_ms":9,
		"says":"there is no such host: hooks.lowtide.example"}]}`
	hookMade = `{"id":"a","address":"https://hooks.lowtide.example/aftergust","kinds":["has_all"],"on":true,"why_off":"","failed_at":null,"took_at":null,
		"both_until":null,"secret":"whsec_c2VjcmV0IG9mIHRoZSBzYW1wbGUgc3R1ZGlvIGFuZCBub2JvZHkgZWxzZQ=="}`
)

// states are all states that are looked at.
func states(ctx context.Context, card demo.Card) ([]state, error) {
	owner := demo.NewClient(card.BaseURL, card.Owner.Token)
	where := owner.Place(ctx)
	find := func(title string) demo.PackageCard {
		for _, p := range card.Packages {
			if p.Title == title {
				return p
			}
		}
		return demo.PackageCard{}
	}
	var all []state
	all = append(all, studioStates(find)...)
	all = append(all, gatherStates(where)...)
	all = append(all, packageStates(ctx, owner, find)...)
	return append(all, guestStates(card, find)...), nil
}

func press(name string) e2e.Action { return e2e.PressNamed(name) }
func pause(ms int) e2e.Action      { return chromedp.Sleep(time.Duration(ms) * time.Millisecond) }
func visible(css string) e2e.Action {
	return chromedp.WaitVisible(chromedp.CSS(css))
}

const twoOfThem = `{"name":"Low Tide Pictures","zone":"Europe/London","used":225000000,"quota":500000000000,"used_saying":"225 MB of 500 GB",
	"members":[{"id":"m","name":"Marit Oyelaran","email":"marit@lowtide.example","role":"owner","you":true},
	{"id":"t","name":"Tove Ashlund","email":"tove@lowtide.example","role":"member","you":false}],
	"invitations":[{"id":"i","email":"ines.valbuena@brightroom.example","role":"member","inviter":"Marit Oyelaran","created_at":"2026-11-25T09:00:00Z",
	"expires_at":"2026-12-02T09:00:00Z","over":false},{"id":"j","email":"piet@sluiswerk.example","role":"owner","inviter":"Marit Oyelaran",
	"created_at":"2026-11-01T09:00:00Z","expires_at":"2026-11-08T09:00:00Z","over":true}]}`

func studioStates(find func(string) demo.PackageCard) []state {
	const empty = `{"out":[],"needs":[],"outstanding":[],"freed":[],"used":0,"quota":100000000000}`
	return []state{
		{name: "desk", path: "/", ready: ".horizon"},
		{name: "desk now", path: "/", ready: ".now", net: answers("/api/v1/now", hereNow)},
		{name: "desk end moved", path: "/", ready: ".horizon", before: []e2e.Action{e2e.Script("document.querySelectorAll('span.end')[3].focus()"), pause(200),
			chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight), pause(200)}},
		{name: "desk menu", path: "/", ready: ".horizon", before: []e2e.Action{e2e.Script(
			"document.querySelectorAll('.horizon .more button')[4].click()"), pause(300)}},
		{name: "desk of many", path: "/", ready: ".horizon", net: answers("/api/v1/desk", deskOf(180))},
		{name: "desk of many found", path: "/", ready: ".horizon", net: answers("/api/v1/desk", deskOf(180)), before: []e2e.Action{
			chromedp.SendKeys(chromedp.CSS(".find"), "museum"), pause(300)}},
		{name: "desk stop", path: "/", ready: ".horizon", before: []e2e.Action{e2e.Script("document.querySelector('.title').focus()"),
			chromedp.KeyEvent("s"), visible("dialog")}},
		{name: "desk room", path: "/", ready: ".empty", net: answers("/api/v1/desk", strings.Replace(empty, `"needs":[]`, `"needs":[{"kind":"room","package":"",
			"title":"What was uploaded is whole and can be sent.","saying":"12 previews wait for room on the disk","at":"2026-11-26T19:00:00Z"}]`, 1))},
		{name: "desk empty", path: "/", ready: ".empty", net: answers("/api/v1/desk", empty)},
		{name: "desk busy", path: "/", ready: ".skeleton", net: hangs("/api/v1/desk")},
		{name: "desk failed", path: "/", ready: ".problem", net: fails("/api/v1/desk")},
		{name: "packages", path: "/packages", ready: "table"},
		{name: "packages chosen", path: "/packages", ready: "table", before: []e2e.Action{e2e.Script("document.querySelector('th input, td input').click()"), visible(".bar")}},
		{name: "packages extend", path: "/packages", ready: "table", before: []e2e.Action{e2e.Script("document.querySelector('th input, td input').click()"), visible(".bar"), press("Extend…"), visible("dialog")}},
		{name: "packages door", path: "/packages", ready: "table", before: []e2e.Action{e2e.Script("document.querySelector('th input, td input').click()"), visible(".bar"), press("Door…"), visible("dialog")}},
		{name: "packages none like that", path: "/packages", ready: ".none", net: answers("/api/v1/packages", `{"packages":[],"next":""}`), before: []e2e.Action{
			press("Ends soon"), pause(300)}},
		{name: "packages empty", path: "/packages", ready: ".none", net: answers("/api/v1/packages", `{"packages":[],"next":""}`)},
		{name: "notices", path: "/notices", ready: ".row"},
		{name: "notices calendar", path: "/notices", ready: ".row", net: answers("/api/v1/calendar",
			`{"address":"https://files.lowtide.example/calendar/Jq3vX0c8QH2m5Zt1yWbR4A.ics"}`), before: []e2e.Action{
			e2e.Script("document.getElementById('calendar').scrollIntoView()"), pause(300)}},
		{name: "notices empty", path: "/notices", ready: ".none", net: answers("/api/v1/notices", `{"notices":[],"next":""}`)},
		{name: "notices failed", path: "/notices", ready: ".problem", net: fails("/api/v1/notices")},
		{name: "notices of a project", path: "/notices", ready: ".kind", before: []e2e.Action{press("Choose for a project…"), visible("dialog select")}},
		{name: "keys", path: "/", ready: ".horizon", before: []e2e.Action{chromedp.KeyEvent("?"), visible("dialog")}},
		{name: "session ended", path: "/", ready: ".horizon", before: []e2e.Action{
			e2e.Script("window.gone = true"), press("Remind"), visible("dialog #email")},
			net: `{ const real = fetch; window.fetch = (r, o) => window.gone
				? Promise.resolve(new Response('{"detail":"Sign in first.","code":"sign_in"}', {status: 401, headers: {'Content-Type': 'application/problem+json'}}))
				: real(r, o); }`},
		{name: "uploads none", path: "/", ready: ".horizon", before: []e2e.Action{chromedp.KeyEvent("u"), visible(".tray")}},
		{name: "studio", path: "/studio", ready: "section ol li"},
		{name: "studio invite", path: "/studio", ready: "section ol li", before: []e2e.Action{press("Invite somebody"), visible("dialog")}},
		{name: "studio of two", path: "/studio", ready: "section ol li", net: answers("/api/v1/studio", twoOfThem)},
		{name: "studio remove", path: "/studio", ready: "section ol li", net: answers("/api/v1/studio", twoOfThem), before: []e2e.Action{
			press("Remove"), visible("dialog")}},
		{name: "studio of others", path: "/studio", ready: "section ol li", net: answers("/api/v1/me", `{"id":"t","name":"Tove Ashlund",
			"email":"tove@lowtide.example","studio":"Low Tide Pictures","zone":"Europe/London","role":"member","runs":false}`)},
		{name: "hooks", path: "/hooks", ready: "section h2", before: []e2e.Action{press("Its messages"), pause(600)}},
		{name: "hooks empty", path: "/hooks", ready: ".empty", net: answers("/api/v1/hooks", `[]`)},
		{name: "hooks in trouble", path: "/hooks", ready: "section h2", net: answers("/api/v1/hooks", hooksInTrouble) + answers("/messages", hookMessages),
			before: []e2e.Action{press("Its messages"), pause(400)}},
		{name: "hooks new", path: "/hooks", ready: "section h2", before: []e2e.Action{press("Tell another program"), visible("dialog form")}},
		{name: "hooks secret", path: "/hooks", ready: ".empty", net: fmt.Sprintf(`{ const real = fetch; window.fetch = (r, o) =>
			!(r.url ?? String(r)).endsWith('/api/v1/hooks') ? real(r, o) : Promise.resolve(new Response(r.method === 'POST' ? %q : '[]',
			{headers: {'Content-Type': 'application/json'}})) }`, hookMade), before: []e2e.Action{press("Tell a program"), visible("dialog form"),
			chromedp.SendKeys(chromedp.CSS("dialog .field"), "https://hooks.lowtide.example/aftergust\r"), visible("dialog .secret")}},
		{name: "account", path: "/account", ready: "section form"},
		{name: "account factors", path: "/account", ready: "section form", net: answers("/api/v1/account/factors", `{"app":true,"recovery":2,
			"possible":true,"passkeys":[{"id":"p","label":"the edit suite","created_at":"2026-11-20T09:00:00Z","last_used_at":"2026-11-26T08:00:00Z"}]}`)},
		{name: "account app", path: "/account", ready: "section form", before: []e2e.Action{press("Use codes of an app"), visible("dialog img")}},
		{name: "account passkey", path: "/account", ready: "section form", before: []e2e.Action{press("Make a passkey"), visible("dialog")}},
		{name: "account codes", path: "/account", ready: "section form", net: answers("/api/v1/account/factors", `{"app":true,"recovery":2,"possible":true,
			"passkeys":[]}`) + answers("/api/v1/account/recovery", `{"recovery":["6k2q-ab3d-xw7z-m4pt","j5ny-cc2e-hr6s-v7ua","q2bw-9dkt-e4mz-x3fa","n7pl-5ghe-2rva-k6ty",
			"c4dr-z3mq-w7xb-e5hn","t6ys-a2fk-p4jv-g7wd","m3hx-q7ce-b5nz-r2kl","v4gt-d6wy-j2pa-s7mf","f5ka-h3rb-n6xe-z4qc","w7zd-k2tm-y5gs-c3vp"]}`),
			before: []e2e.Action{press("Make new ones"), visible("dialog .codes")}},
		{name: "account asked again", path: "/account", ready: "section form", before: []e2e.Action{press("Use codes of an app"), visible("dialog form")},
			net: `{ const real = fetch; window.fetch = (r, o) => (r.url ?? r).includes('/account/app')
				? Promise.resolve(new Response('{"detail":"Show that it is you.","code":"prove"}', {status: 403, headers: {'Content-Type': 'application/problem+json'}}))
				: real(r, o); }`},
		{name: "account token", path: "/account", ready: "section form", before: []e2e.Action{press("Make a token"), visible("dialog")}},
		{name: "account menu", path: "/", ready: ".horizon", width: "phone", before: []e2e.Action{press("MO"), pause(200)}},
		{name: "unknown address", path: "/nowhere", ready: "main h1"},
		{name: "look", path: "/look", ready: "main h1"},
	}
}

func media(name string) string {
	file, _ := filepath.Abs(filepath.Join(".data", "media", name)) // fails only without a working folder
	return file
}

func gatherStates(where places) []state {
	films := where("Kelpwick Harbour Museum", "Lifeboat films")
	at := func(query string) string { return "/gather?" + query }
	choose := func(name string) e2e.Action {
		return e2e.Script(fmt.Sprintf("[...document.querySelectorAll('.row')].find(r => r.innerText.startsWith(%q)).click()", name))
	}
	liking := func(how string) e2e.Action {
		return chromedp.Steps(e2e.Script(fmt.Sprintf("localStorage.setItem('aftergust.gather', %q)", how)), chromedp.Reload(), visible(".row"))
	}
	give := chromedp.SetUploadFiles(chromedp.CSS("input[data-choose=files]"), []string{media("Teaser, vertical.mov"), media("guide_en.wav")})
	begin := []e2e.Action{give, visible("#before-tags"), press("Upload 2 files"), visible(".tray li")}
	return []state{
		{name: "gather", path: "/gather", ready: ".row dl"},
		{name: "gather busy", path: "/gather", ready: ".skeleton", net: hangs("/overview")},
		{name: "gather failed", path: "/gather", ready: ".problem", net: fails("/overview")},
		{name: "gather empty", path: "/gather", ready: ".empty", net: answers("/api/v1/gather", `{"path":[],"places":[],"things":[],"next":""}`)},
		{name: "gather client", path: at("in=" + where("Kelpwick Harbour Museum")), ready: ".row dl"},
		{name: "gather rows", path: at("in=" + films), ready: ".row", before: []e2e.Action{liking(`{}`), choose("Lifeboat, cut 3.mov"), visible(".stub dl")}},
		{name: "gather pictures", path: at("in=" + where("Kelpwick Harbour Museum", "Lifeboat films", "Stills")), ready: ".row",
			before: []e2e.Action{liking(`{"pictures":true}`)}},
		{name: "gather preview", path: at("in=" + films), ready: ".row", before: []e2e.Action{liking(`{}`), choose("Lifeboat, cut 3.mov"),
			chromedp.KeyEvent("\r"), visible(".stage video")}},
		{name: "gather found", path: at("view=below&find=wav+48k"), ready: ".row"},
		{name: "gather nothing found", path: at("view=below&find=zeppelin"), ready: ".empty"},
		{name: "gather lately", path: at("view=lately"), ready: ".row"},
		{name: "gather at hand", path: at("view=at_hand"), ready: ".row"},
		{name: "gather space", path: at("view=space"), ready: ".columns"},
		{name: "gather let go", path: at("view=let_go"), ready: "main p"},
		{name: "gather new menu", path: at("in=" + films), ready: ".row", before: []e2e.Action{press("New"), visible(".slip")}},
		{name: "gather new link", path: at("in=" + films), ready: ".row", before: []e2e.Action{press("New"), visible(".slip"), press("link"), visible("dialog")}},
		{name: "gather tag", path: at("in=" + films), ready: ".row", before: []e2e.Action{choose("Lifeboat, cut 3.mov"), press("Tag"), visible("dialog")}},
		{name: "gather move", path: at("in=" + films), ready: ".row", before: []e2e.Action{choose("Lifeboat, cut 3.mov"), press("Move"), visible("dialog")}},
		{name: "gather pack", path: at("in=" + films), ready: ".row", before: []e2e.Action{choose("Lifeboat, cut 3.mov"), press("Pack"), visible("dialog")}},
		{name: "gather preflight", path: at("in=" + films), ready: ".row", before: []e2e.Action{choose("Lifeboat, cut 3.mov"), press("Preflight"), visible("dialog")}},
		{name: "gather pointer menu", path: at("in=" + films), ready: ".row", width: "wide", before: []e2e.Action{
			e2e.Script(`[...document.querySelectorAll('.row')].find(r => r.innerText.startsWith('Lifeboat, cut 3')).dispatchEvent(new MouseEvent('contextmenu', {bubbles: true, clientX: 420, clientY: 300, cancelable: true}))`),
			visible("[role=menu]")}},
		{name: "gather before upload", path: at("in=" + films), ready: ".row", before: []e2e.Action{
			give, visible("#before-tags")}},
		{name: "uploads under way", path: at("in=" + films), ready: ".row", net: sends(false), before: begin},
		{name: "uploads failed", path: at("in=" + films), ready: ".row", net: sends(true), before: begin},
		{name: "gather said", path: at("in=" + films), ready: ".row", net: fails("/things/at-hand"), before: []e2e.Action{choose("Lifeboat, cut 3.mov"),
			e2e.Script("[...document.querySelectorAll('.bar .act')].find(b => /Keep at hand|Put back/.test(b.innerText)).click()"), visible(".toast")}},
	}
}

func packageStates(ctx context.Context, owner *demo.Client, find func(string) demo.PackageCard) []state {
	lifeboat, draft, posters := find("Lifeboat, cut 3"), find("Lifeboat, cut 4"), find("Poster set")
	page := func(p demo.PackageCard) string { return "/packages/" + p.ID }
	all := []state{
		{name: "compose", path: page(draft), ready: ".compose .sentence"},
		{name: "compose day and hour", path: page(draft), ready: ".compose .sentence", before: []e2e.Action{press("Day and hour"), visible(".says")}},
		{name: "compose calendar", path: page(draft), ready: ".compose .sentence", before: []e2e.Action{press("Day and hour"), visible(".says"), press("Calendar"), visible(".day")}},
		{name: "compose arriving", path: page(draft), ready: ".compose .sentence", net: sends(false), before: []e2e.Action{
			chromedp.SetUploadFiles(chromedp.CSS("input[data-choose=files]"), []string{media("Teaser, vertical.mov")}), visible(".arriving")}},
		{name: "compose stopped", path: page(draft), ready: ".compose .sentence", net: sends(true), before: []e2e.Action{
			chromedp.SetUploadFiles(chromedp.CSS("input[data-choose=files]"), []string{media("Teaser, vertical.mov")}), visible(".arriving .wrong")}},
		{name: "choosing for a package", path: page(draft), ready: ".compose .sentence", before: []e2e.Action{press("From Gather"), visible(".bar.for")}},
		{name: "package", path: page(lifeboat), ready: ".package h1"},
		{name: "package busy", path: page(lifeboat), ready: ".skeleton", net: hangs("/ledger")},
		{name: "package failed", path: page(lifeboat), ready: ".problem", net: fails("/api/v1/packages/")},
		{name: "package items", path: page(lifeboat) + "?show=items", ready: "[role=tabpanel] li"},
		{name: "package notes", path: page(lifeboat) + "?show=notes", ready: "article"},
		{name: "package waybill", path: page(lifeboat) + "?show=people", ready: ".people li"},
		{name: "package story", path: page(lifeboat) + "?show=story", ready: "[role=tabpanel] li"},
		{name: "package extend", path: page(lifeboat), ready: ".package h1", before: []e2e.Action{press("Extend"), visible("dialog")}},
		{name: "package door", path: page(lifeboat), ready: ".package h1", before: []e2e.Action{e2e.Script(
			"document.querySelector('aside .more')?.click()"), press("Change the door"), visible("dialog")}},
		{name: "package remind", path: page(lifeboat), ready: ".package h1", before: []e2e.Action{press("Remind"), visible("dialog form")}},
		{name: "package reminders", path: page(lifeboat), ready: ".package h1", before: []e2e.Action{e2e.Script(
			"document.querySelector('aside .more')?.click()"), press("Change the reminders"), visible("dialog .ladder")}},
		{name: "package stop", path: page(lifeboat), ready: ".package h1", before: []e2e.Action{press("Stop"), visible("dialog")}},
		{name: "package seen", path: page(lifeboat), ready: ".package h1", before: []e2e.Action{pause(400), e2e.Script(
			"document.querySelector('.head button[title^=\"What they saw\"], .cards .who')?.click()"), pause(300), e2e.Script(
			"[...document.querySelectorAll('.cards button')].find(b => b.innerText.startsWith('What '))?.click()"), visible(".honest"), pause(900)}},
		{name: "package seen by nobody", path: page(lifeboat), ready: ".package h1", width: "wide", net: answers("/seen", nobodySaw), before: []e2e.Action{pause(400),
			e2e.Script("document.querySelector('.head button[title^=\"What they saw\"]').click()"), visible(".honest")}},
		{name: "package seen pages", path: page(lifeboat), ready: ".package h1", width: "wide", net: answers("/seen", pagesSeen), before: []e2e.Action{pause(400),
			e2e.Script("document.querySelector('.head button[title^=\"What they saw\"]').click()"), visible(".honest")}},
		{name: "package now", path: page(lifeboat), ready: ".now", net: answers("/api/v1/now", hereNow)},
		{name: "package closed", path: page(find("Lifeboat, cut 2")), ready: ".package h1"},
		{name: "package stills", path: page(posters), ready: ".package h1"},
	}
	return append(all, roomStates(ctx, owner, find)...)
}

// roomStates are the Room with a film, a sound, a still and a page, as far as the demo has them in packages.
func roomStates(ctx context.Context, owner *demo.Client, find func(string) demo.PackageCard) []state {
	lifeboat := find("Lifeboat, cut 3")
	room := "/packages/" + lifeboat.ID + "/room"
	items, err := owner.Items(ctx, lifeboat.ID)
	if err != nil || len(items) == 0 {
		return nil
	}
	var review struct{ Before string }
	_ = owner.Do(ctx, "GET", "/api/v1/items/"+items[0].ID+"/room", nil, &review) // without it nothing is compared
	link := strings.TrimPrefix(lifeboat.Recipients[0].Link, owner.Base)
	key := func(keys ...string) []e2e.Action {
		out := []e2e.Action{pause(1200)}
		for _, k := range keys {
			out = append(out, chromedp.KeyEvent(k), pause(350))
		}
		return out
	}
	compare := room + "?item=" + items[0].ID + "&compare=" + review.Before
	all := []state{{name: "room film", path: room, ready: "video", before: key()},
		{name: "room sketch", path: room, ready: "video", before: key("n", "n", "n", "s")},
		{name: "room list", path: room, ready: "video", before: key("b")},
		{name: "room compare", path: compare, ready: ".compare video", before: []e2e.Action{pause(2500)}},
		{name: "room wipe", path: compare, ready: ".compare video", width: "wide", before: []e2e.Action{pause(1500), press("Wipe"), pause(700)}},
		{name: "room exchange", path: room, ready: "video", before: []e2e.Action{pause(900), press("Out and in"), visible("dialog"), pause(300)}},
		{name: "room deciding", path: room, ready: "video", before: []e2e.Action{pause(900), press("Ask for sign-off"), visible("dialog"), pause(400)}},
		{name: "room guest deciding", path: link + "/room", guest: true, ready: "video", before: []e2e.Action{pause(900), press("Sign off …"),
			visible("dialog"), pause(300), press("All "), pause(300)}},
		{name: "package rounds", path: "/packages/" + lifeboat.ID + "?show=rounds", ready: "table", before: []e2e.Action{pause(400)}},
		{name: "package rounds begin", path: "/packages/" + lifeboat.ID + "?show=rounds", ready: "table", before: []e2e.Action{
			press("Begin the next round"), visible("dialog"), pause(300), press("Only some"), pause(200)}},
		{name: "room printed", path: room + "/print?item=" + items[0].ID, ready: "article", width: "wide", before: []e2e.Action{pause(2500)}},
		{name: "room guest", path: link + "/room", guest: true, ready: "video", before: key("n", "n")},
		{name: "room guest still", path: link + "/room?item=" + demo.Named(items, "harbour_02.jpg"), guest: true, ready: ".overlay", before: key()},
	}
	rooms, err := owner.Rooms(ctx)
	if err != nil {
		return all
	}
	for _, what := range []string{"sound", "still", "artwork", "document", "swatch", "link", "sheet", "other"} {
		if of := rooms[what]; of != "" {
			all = append(all, state{name: "room " + what, path: of, ready: ".stage", before: []e2e.Action{pause(700)}})
		}
	}
	if of := rooms["sound"]; of != "" {
		all = append(all, state{name: "sound elsewhere", path: of, ready: ".stage", before: []e2e.Action{pause(700), press("Play"), pause(700), press("‹"),
			visible(".elsewhere"), pause(400)}})
	}
	return all
}

func guestStates(card demo.Card, find func(string) demo.PackageCard) []state {
	link := func(p demo.PackageCard, i int) string {
		if len(p.Recipients) <= i {
			return "/r/none"
		}
		return strings.TrimPrefix(p.Recipients[i].Link, card.BaseURL)
	}
	lifeboat, product, cut2, posters := find("Lifeboat, cut 3"), find("Product film and cut-down"), find("Lifeboat, cut 2"), find("Poster set")
	down := e2e.Script(`window.scrollTo(0, document.body.scrollHeight)`)
	return []state{
		{name: "door passphrase", path: link(product, 1), guest: true, ready: "#answer"},
		{name: "door passphrase wrong", path: link(product, 1), guest: true, ready: "#answer", before: []e2e.Action{
			chromedp.SendKeys(chromedp.CSS("#answer"), "low tide\r"), visible(".problem")}},
		{name: "door busy", path: link(product, 1), guest: true, ready: "#answer", net: hangs("/enter"), before: []e2e.Action{
			chromedp.SendKeys(chromedp.CSS("#answer"), "low tide\r")}},
		{name: "door named", path: link(posters, 0), guest: true, ready: "main h1"},
		{name: "recipient", path: link(lifeboat, 1), guest: true, ready: "video"},
		{name: "recipient below", path: link(lifeboat, 1), guest: true, ready: "video", before: []e2e.Action{down}},
		{name: "recipient choosing", path: link(lifeboat, 1), guest: true, ready: "video", before: []e2e.Action{press("Choose")}},
		{name: "recipient notes", path: link(lifeboat, 1), guest: true, ready: "video", before: []e2e.Action{
			e2e.Script("document.querySelector('.fold').click()"), e2e.Script("document.querySelector('.fold').scrollIntoView({block: 'center'})")}},
		{name: "recipient busy", path: link(lifeboat, 1), guest: true, ready: ".skeleton", net: hangs("/api/v1/r/")},
		{name: "recipient failed", path: link(lifeboat, 1), guest: true, ready: ".problem", net: fails("/api/v1/r/")},
		{name: "closed", path: link(cut2, 1), guest: true, ready: "main h1"},
		{name: "unknown link", path: "/r/0123456789abcdefghijkl", guest: true, ready: "main h1"},
		{name: "quiet", path: link(lifeboat, 1) + "/quiet", guest: true, ready: "main h1"},
		{name: "reset", path: "/reset", guest: true, ready: "main h1"},
		{name: "reset set", path: "/reset/0123456789abcdefghijkl", guest: true, ready: "main h1", before: []e2e.Action{
			chromedp.SendKeys(chromedp.CSS("[autocomplete=new-password]"), "slow glaze harbour lamp\r"), visible(".problem")}},
		{name: "found", path: "/found", guest: true, ready: "main form"},
		{name: "join", path: "/join/0123456789abcdefghijkl", guest: true, ready: "main form", net: answers("/api/v1/join/look",
			`{"studio":"Low Tide Pictures","inviter":"Marit Oyelaran","email":"tove@lowtide.example"}`)},
		{name: "join gone", path: "/join/0123456789abcdefghijkl", guest: true, ready: ".say"},
		{name: "sign-in", path: "/sign-in", guest: true, ready: "#email"},
		{name: "sign-in second", path: "/sign-in", guest: true, ready: "#email", before: []e2e.Action{chromedp.SendKeys(chromedp.CSS("#email"), "marit@lowtide.example"),
			chromedp.SendKeys(chromedp.CSS("#password"), "guess\r"), visible("#code")},
			net: `{ const real = fetch; window.fetch = (r, o) => (r.url ?? r).endsWith('/api/v1/session')
				? Promise.resolve(new Response('{"detail":"Now the code.","code":"second_needed"}', {status: 403, headers: {'Content-Type': 'application/problem+json'}}))
				: real(r, o); }`},
		{name: "sign-in refused", path: "/sign-in", guest: true, ready: "#email", before: []e2e.Action{chromedp.SendKeys(chromedp.CSS("#email"), "nobody@lowtide.example"),
			chromedp.SendKeys(chromedp.CSS("#password"), "guess\r"), visible(".problem")}},
	}
}

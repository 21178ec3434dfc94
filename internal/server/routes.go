package server

import (
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/tables"
)

// group is the routes of one subject, under a heading of the description.
type group struct {
	tag    string
	routes []route
}

// register registers every route.
func (s *Server) register(a huma.API) {
	for _, g := range s.routes() {
		for _, r := range g.routes {
			op := huma.Operation{
				OperationID: r.id,
				Method:      r.method,
				Path:        r.path,
				Summary:     r.summary,
				Tags:        []string{g.tag},
			}
			for _, change := range append([]option{secured(r.scope)}, r.options...) {
				change(a, &op)
			}
			op.Errors = usual(r, op.Errors)
			r.handler(a, op)
		}
	}
}

// usual adds to the problems that an operation names those that every operation of its kind has.
func usual(r route, named []int) []int {
	out := append(slices.Clone(named), http.StatusBadRequest, http.StatusInternalServerError)
	if r.scope != open { // whoever calls is looked up, and may have too many calls in progress
		out = append(out, http.StatusUnauthorized, forbidden, tooMany, busy)
	}
	if strings.Contains(r.path, "{") {
		out = append(out, notFound)
	}
	if r.method != get { // another site's page may have sent it; its body may be wrong in many ways
		out = append(out, forbidden, http.StatusRequestTimeout, tooLarge, unsupported, mistaken, busy, diskFull)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func (s *Server) routes() []group {
	const tableSays = "CSV is safe for spreadsheet programs: a text that looks like a formula gets an apostrophe. "
	replaced := versionsAPI{s}.replaces
	return []group{
		{"Session", []route{
			{
				"version",
				get,
				"/version",
				open,
				"Show the version of the service",
				body(s, sessionAPI{s}.version),
				nil,
			},
			{"problem-types", get, "/problems", open, "List the kinds of problems that operations answer",
				body(s, problemTypes), nil},
			{"problem-type", get, "/problems/{id}", open, "Explain a kind of problem", body(s, problemType), nil},
			{"sign-in", post, "/session", open, "Sign in", on(s, sessionAPI{s}.signIn),
				[]option{fails(http.StatusUnauthorized, tooMany)}},
			{"who", get, "/session", open, "Show who is signed in", body(s, sessionAPI{s}.who), nil},
			{"sign-out", remove, "/session", anybody, "Sign out", on(s, sessionAPI{s}.signOut), []option{empty}},
			{"add-first-administrator", post, "/session/first", open,
				"Add the first administrator, with the link that the first start printed",
				on(s, sessionAPI{s}.takeInvitation), []option{fails(forbidden, conflict, tooMany)}},
			{"add-own-token", post, "/session/token", ScopeRead, "Create a token with your own permissions",
				body(s, sessionAPI{s}.addOwnToken), nil},
			{"remove-own-token", remove, "/session/token", anybody, "Remove the token that authorizes this request",
				done(s, sessionAPI{s}.removeOwnToken), []option{empty, fails(notFound)}},
		}},
		{"Inventories", []route{
			{"submit", post, "/inventories", ScopeSubmit, "Submit the inventory of a machine",
				body(s, intakeAPI{s}.submit), []option{
					says("A machine with a key signs it: RFC 9421 over @method and content-digest with ed25519, " +
						"the public key as keyid, and the tag rolltop-inventory. An inventory from an unknown " +
						"sender has no effect until somebody reviews it."),
					takesDocument[inventory.Document](inventory.MaxBytes), s.taking(1, true)}},
			{"attest", post, "/attestations", ScopeSubmit, "Submit a proof by the TPM of a machine",
				body(s, intakeAPI{s}.attest), []option{
					says("The answer to a signed inventory asks for it, with a nonce. It is signed as the inventory " +
						"is. A TPM that is new to the service gets a secret to open first."),
					atMost(attestMax), s.taking(1, true), fails(mistaken)}},
			{"open-secret", post, "/attestations/secret", ScopeSubmit,
				"Submit the secret that the TPM of a machine opened",
				body(s, intakeAPI{s}.openSecret), []option{fails(mistaken)}},
			{"submit-lines", post, "/inventories/lines", ScopeSubmit, "Submit several inventories, one per line",
				on(s, intakeAPI{s}.submitLines), []option{
					says("NDJSON, optionally compressed with gzip. A refused line does not affect the others. Each " +
						"line is answered by a line, in the same order, once it is saved."),
					takesLines, answersDocument[api.SubmittedLine]("One answer per line", "application/x-ndjson"),
					fails(unsupported), s.taking(service.LinesWeight, false)}},
			{"import-sheet", post, "/sheets", ScopeManage,
				"Import the rows of a spreadsheet, or show what they would do",
				body(s, intakeAPI{s}.importSheet), []option{
					says("Questions remain for what a heading does not say. A row of a machine that was read " +
						"fills gaps; what differs becomes a conflict. Without apply nothing is changed. An import is " +
						"one change, which can be undone."),
					atMost(tables.MaxBytes * 2), within(time.Minute), fails(mistaken)}},
		}},
		{"Intake", []route{
			{"collectors", get, "/collectors", ScopeRead, "List the collectors that the service offers",
				body(s, s.listCollectors), nil},
			{"expected-machines", get, "/expected", ScopeRead,
				"List expected machines; those that never reported come first",
				body(s, expectedAPI{s}.listExpected), []option{versioned[api.SetExpected]}},
			{"set-expected-machines", put, "/expected", ScopeManage, "Replace the list of expected machines",
				body(
					s,
					expectedAPI{s}.setExpected,
				), []option{versioned[api.SetExpected], replaced, atMost(doc.MaxBytes * 8), fails(mistaken)}},
			{"set-expected-reason", put, "/expected/{id}/reason", ScopeWork,
				"Record why an expected machine does not report",
				done(s, expectedAPI{s}.setReason), []option{empty, fails(notFound)}},
		}},
		{"Machines", []route{
			{"machines", get, "/machines", ScopeRead, "List machines", body(s, machinesAPI{s}.listMachines),
				[]option{fails(mistaken)}},
			{"machine", get, "/machines/{key}", ScopeRead, "Show a machine with its check", body(s,
				machinesAPI{s}.showMachine),
				[]option{fails(notFound)}},
			{"remove-machine", remove, "/machines/{key}", ScopeManage,
				"Remove a machine with everything that is known of it",
				done(s, machinesAPI{s}.removeMachine), []option{empty, fails(notFound),
					says("Its inventories, facts, ticks and links are removed. In the audit log only the number of " +
						"the machine remains.")}},
			{"inventory", get, "/machines/{key}/inventory", ScopeRead, "Get the inventory of a machine",
				on(s, machinesAPI{s}.showInventory), []option{fails(notFound),
					answersDocument[inventory.Document]("The document", "application/json")}},
			{"check", get, "/machines/{key}/check", ScopeRead, "Check a machine against any release",
				body(s, factsAPI{s}.checkMachine), []option{fails(notFound, mistaken)}},
			{"set-fact", put, "/machines/{key}/facts/{fact}", ScopeWork, "Enter a fact by hand",
				body(s, factsAPI{s}.setFact), []option{fails(notFound, mistaken),
					says("It fills a gap. If it differs from what was read, both values stay, as a conflict.")}},
			{"remove-fact", remove, "/machines/{key}/facts/{fact}", ScopeWork,
				"Remove a fact that was entered by hand",
				body(s, factsAPI{s}.removeFact), []option{fails(notFound)}},
			{"compare", get, "/compare", ScopeRead, "Compare two machines, or two inventories of one machine",
				body(s, factsAPI{s}.compare), []option{fails(notFound)}},
			{"change-machines", post, "/machine-changes", ScopeWork,
				"Change the machines that a filter selects",
				body(
					s,
					marksAPI{s}.mark,
				), []option{fails(notFound, mistaken), says("Tags, site, contact, " +
					"desk and retirement. All of them are changed, or none. The change has a number, with " +
					"which it can be undone.")}},
			{"undo-change", post, "/bulk-changes/{id}/undo", ScopeWork,
				"Undo a change of many machines as one; machines that were changed again since stay as they are",
				body(s, marksAPI{s}.undo), []option{fails(notFound, mistaken)}},
			{"add-note", post, "/machines/{key}/notes", ScopeWork, "Write a note about a machine",
				body(s, techniciansAPI{s}.addNote), []option{fails(notFound, mistaken)}},
			{"remove-note", remove, "/machines/{key}/notes/{id}", ScopeWork, "Remove a note about a machine",
				body(s, techniciansAPI{s}.removeNote), []option{fails(notFound)}},
			{"tags", get, "/tags", ScopeRead, "List the tags in use", body(s, marksAPI{s}.listTags), nil},
			{"filters", get, "/filters", ScopeRead, "List saved filters", body(s, marksAPI{s}.listFilters), nil},
			{"read-filter", get, "/filter", ScopeRead, "Read a filter, or replace a part of it",
				body(s, marksAPI{s}.changeFilter), []option{fails(mistaken), says(fleet.Doc())}},
			{"complete-filter", get, "/filter/completions", ScopeRead, "List ways to go on at the end of a filter",
				body(s, marksAPI{s}.completeFilter), nil},
			{"filter", get, "/filters/{name}", ScopeRead, "Show a saved filter", body(s, marksAPI{s}.showFilter),
				[]option{versioned[api.SetFilter]}},
			{"set-filter", put, "/filters/{name}", ScopeWork, "Save a filter for everybody, or replace one",
				body(
					s,
					marksAPI{s}.setFilter,
				), []option{versioned[api.SetFilter], replaced, fails(mistaken)}},
			{"remove-filter", remove, "/filters/{name}", ScopeWork, "Remove a saved filter",
				done(s, marksAPI{s}.removeFilter), []option{empty, fails(notFound)}},
			{"duplicates", get, "/duplicates", ScopeRead,
				"List possible duplicates, and inventories that may belong to another machine",
				body(s, duplicatesAPI{s}.listDuplicates), nil},
			{"resolve-duplicate", post, "/duplicates/{id}", ScopeWork,
				"Resolve a possible duplicate: one machine or two",
				done(s, duplicatesAPI{s}.resolveDuplicate), []option{empty, fails(notFound)}},
			{"replace-key", post, "/machines/{key}/key", ScopeWork, "Allow a machine to sign with another key",
				done(s, duplicatesAPI{s}.rekey), []option{empty, fails(notFound, mistaken),
					says("Use it after the board, the disk or the system was replaced. A waiting inventory that is " +
						"signed becomes the latest, and its key the machine's key. If none is waiting, the next " +
						"signed inventory binds its key.")}},
			{"model-facts", get, "/model-facts", ScopeRead,
				"List facts entered by hand for all machines of a model",
				body(s, factsAPI{s}.listModelFacts), nil},
			{"add-model-fact", post, "/model-facts", ScopeWork, "Enter a fact for all machines of a model",
				body(s, factsAPI{s}.addModelFact), []option{everywhere, fails(notFound, mistaken),
					says("It fills gaps; what was read from a machine or entered for it takes precedence.")}},
			{"remove-model-fact", remove, "/model-facts/{id}", ScopeWork, "Remove a fact of a model",
				body(s, factsAPI{s}.removeModelFact), []option{everywhere, fails(notFound)}},
			{"export-machines", get, "/export", ScopeRead, "Export the machines that a filter selects as a table",
				on(s, exportAPI{s}.export), []option{
					fails(mistaken), says(tableSays + "NDJSON has one object a line."),
					answersTable[api.Export]("The table")}},
			{"report", get, "/machines/{key}/report", ScopeRead, "Get the check of a machine as a report",
				on(s, reportAPI{s}.report), []option{
					fails(notFound, mistaken),
					says("A self-contained page, or a text of at most 4,000 characters for a ticket."),
					answersText("The report",
						map[string]string{"text/html": "A page", "text/plain": "A text in Markdown"})}},
			{"case-bundle", get, "/machines/{key}/case", ScopeRead,
				"Get everything about a machine for a specialist, in one file",
				on(s, reportAPI{s}.caseBundle), []option{
					fails(notFound, mistaken),
					says("Inventory, check, report, notes and history. A role that does not see serial numbers gets " +
						"less."),
					answers("The files, in a ZIP archive", "application/zip")}},
			{"set-tick", put, "/machines/{key}/ticks/{kind}/{item}", ScopeWork,
				"Record that an item of preparation or a step is done, or that it is refused", body(s,
					visitsAPI{s}.tick),
				[]option{fails(notFound, mistaken),
					says("It carries the name of the user. It does not change a fact: the next inventory confirms " +
						"a step, or shows that it had no effect.")}},
			{"remove-tick", remove, "/machines/{key}/ticks/{kind}/{item}", ScopeWork,
				"Remove what was recorded for an item",
				body(s, visitsAPI{s}.removeTick), []option{fails(notFound)}},
			{"add-visit-link", post, "/machines/{key}/visit-link", ScopeWork,
				"Create a link to the page of the visit, for a phone",
				body(s, visitsAPI{s}.makeLink), []option{fails(notFound, mistaken),
					says("Anyone with the link can see the steps of the visit, and record them, without signing in, " +
						"until it expires. The page shows no serial numbers.")}},
			{"remove-visit-links", remove, "/machines/{key}/visit-link", ScopeWork,
				"Remove all links to the page of the visit",
				done(s, visitsAPI{s}.endLinks), []option{empty, fails(notFound)}},
			{"results", get, "/machines/{key}/results", ScopeRead,
				"Show the results of the work since an earlier inventory",
				body(s, visitsAPI{s}.after), []option{fails(notFound, mistaken)}},
		}},
		{"Fleet", []route{
			{"briefing", get, "/fleet/briefing", ScopeRead,
				"Show the briefing for the head of the organisation: done, at risk, money, decisions, the last week",
				body(s, fleetAPI{s}.briefing), nil},
			{"briefing-page", get, "/fleet/briefing/page", ScopeRead, "Get the briefing as a page for printing",
				on(s, fleetAPI{s}.briefingPage), []option{answers("A self-contained page", "text/html")}},
			{"fleet-answers", get, "/fleet/answers", ScopeRead,
				"Answer what is asked of a whole fleet again and again", body(s, fleetAPI{s}.answers),
				[]option{fails(mistaken)}},
			{"fleet", get, "/fleet", ScopeRead, "Count the machines of the fleet", body(s, fleetAPI{s}.showFleet),
				[]option{fails(mistaken), says(fleet.Doc())}},
			{"fleet-report", get, "/fleet/report", ScopeRead, "Get a report on the fleet",
				on(s, fleetAPI{s}.fleetReport), []option{fails(mistaken), says("A self-contained page."),
					answersText("The page", map[string]string{"text/html": ""})}},
			{"requirement-matrix", get, "/fleet/matrix", ScopeRead,
				"Show machines beside requirements: what each has and what is missing",
				body(s, fleetAPI{s}.showMatrix), []option{fails(mistaken)}},
			{"events", get, "/events", ScopeRead, "Receive changes as they happen", on(s, eventsAPI{s}.listen),
				[]option{fails(busy),
					says("Server-sent events. “changed” means that some machines changed; request the data again " +
						"to see which."), answers("The events", "text/event-stream")}},
			{"progress", get, "/fleet/progress", ScopeRead, "Count machines by disposition, day by day",
				body(s, fleetAPI{s}.progress), nil},
		}},
		{"Work", []route{
			{"work", get, "/work", ScopeRead,
				"Show visits, remote batches, the parts order, open questions and the watch list",
				body(s, workAPI{s}.showWork), []option{fails(mistaken)}},
			{"assign-work", post, "/work/assign", ScopeWork, "Assign the work on machines to somebody",
				body(s, workAPI{s}.assign), []option{fails(mistaken)}},
			{"tick-machines", post, "/work/ticks", ScopeWork,
				"Record on many machines that an item of preparation or a step is done, or that it is refused",
				body(s, workAPI{s}.tickMany), []option{fails(mistaken)}},
			{"technicians", get, "/technicians", ScopeRead, "List those who visit machines, with their booked days",
				body(s, techniciansAPI{s}.list), nil},
			{"set-technician", put, "/technicians/{name}", ScopeWork, "Add or change somebody who visits machines",
				body(s, techniciansAPI{s}.set), []option{everywhere, fails(mistaken)}},
			{"remove-technician", remove, "/technicians/{name}", ScopeWork,
				"Remove somebody who visits machines; what is assigned to them stays",
				done(s, techniciansAPI{s}.remove), []option{everywhere, empty, fails(notFound)}},
			{"set-stock", put, "/work/stock", ScopeWork, "Record the stock and the lead time of a part",
				done(s, ordersAPI{s}.setStock), []option{everywhere, empty, fails(mistaken)}},
			{
				"orders",
				get,
				"/orders",
				ScopeRead,
				"List the orders of parts that were placed",
				body(s, ordersAPI{s}.list),
				nil,
			},
			{"order", get, "/orders/{number}", ScopeRead, "Show an order: which machine gets which part",
				body(s, ordersAPI{s}.show), []option{fails(notFound)}},
			{"add-order", post, "/orders", ScopeWork,
				"Record an order that was placed: it names the machines that get its parts",
				body(s, ordersAPI{s}.add), []option{fails(notFound, mistaken),
					says("The order with the number stock takes the parts from the stock.")}},
			{"set-order", put, "/orders/{number}", ScopeWork,
				"Record what became of parts of an order: arrived, fitted, put into the stock, or cancelled",
				body(s, ordersAPI{s}.set), []option{fails(notFound, mistaken)}},
			{"remove-order", remove, "/orders/{number}", ScopeWork,
				"Remove an order that was recorded by mistake",
				done(s, ordersAPI{s}.remove), []option{empty, fails(notFound, mistaken)}},
			{"replacements", get, "/replacements", ScopeRead, "List which machine takes the place of which",
				body(s, ordersAPI{s}.replacements), nil},
			{"hand-over", get, "/machines/{key}/replacement", ScopeRead,
				"Show what is handed over from a machine to the one that takes its place",
				body(s, ordersAPI{s}.handOver), []option{fails(notFound)}},
			{"set-replacement", put, "/machines/{key}/replacement", ScopeWork,
				"Record which machine takes the place of a machine",
				body(s, ordersAPI{s}.setReplacement), []option{fails(notFound, mistaken)}},
			{"remove-replacement", remove, "/machines/{key}/replacement", ScopeWork,
				"Remove the record of which machine takes the place of a machine",
				done(s, ordersAPI{s}.removeReplacement), []option{empty, fails(notFound)}},
			{"ask-question", put, "/questions/{id}", ScopeWork, "Record that an open question was put to somebody",
				done(s, inquiriesAPI{s}.ask), []option{empty, fails(notFound, mistaken)}},
			{"answer-question", post, "/questions/{id}/answer", ScopeManage,
				"Record the answer to an open question",
				body(s, inquiriesAPI{s}.answer), []option{fails(notFound, mistaken),
					says("The answer becomes a fact of the model or of each machine, or a row of a new revision of " +
						"the target release, which is not put in force.")}},
			{"answers-given", get, "/questions/answers", ScopeRead, "List the answers to open questions",
				body(s, inquiriesAPI{s}.answers), []option{everywhere}},
			{"messages", get, "/work/messages", ScopeRead, "Get the messages for people whose machines are worked on",
				body(s, workAPI{s}.messages), []option{fails(mistaken)}},
			{"visit-sheet", get, "/work/sheet", ScopeRead,
				"Get the visits of a site for printing, with the guides of exactly those boards and without serial " +
					"numbers",
				on(s, workAPI{s}.visitSheet),
				[]option{fails(mistaken), answers("A self-contained page", "text/html")}},
			{"visit-calendar", get, "/work/calendar", ScopeRead,
				"Get the visits that have a day as a calendar file",
				on(s, workAPI{s}.calendar), []option{fails(mistaken),
					answers("An iCalendar file (RFC 5545), in the local time of whoever opens it", "text/calendar")}},
			{"applications", get, "/applications", ScopeRead,
				"List the applications of the fleet, and what they take before the upgrade",
				body(s, applicationsAPI{s}.list), []option{fails(mistaken)}},
			{"application-machines", get, "/applications/machines", ScopeRead,
				"List the machines that have an application",
				body(s, applicationsAPI{s}.machines), []option{fails(mistaken)}},
			{"wins", get, "/work/wins", ScopeRead,
				"List the biggest wins: the fixes that make most machines ready, alone and in the best order",
				body(s, workAPI{s}.showWins), []option{fails(mistaken)}},
			{"export-work", get, "/work/export", ScopeRead, "Export a list of the fleet's work as a table",
				on(s, exportAPI{s}.exportWork), []option{
					fails(mistaken), says(tableSays +
						"JSON and NDJSON have one object per row; all values are texts."),
					answersTable[api.WorkTable]("The table")}},
			{"decisions", get, "/decisions", ScopeRead, "List decisions, with those that ended recently",
				body(s, decisionsAPI{s}.listDecisions), nil},
			{"add-decision", post, "/decisions", ScopeWork, "Add a decision about machines, until a date",
				body(s, decisionsAPI{s}.addDecision), []option{fails(forbidden, mistaken),
					says("A technician can postpone machines until a date; only an administrator can add the other " +
						"kinds.")}},
			{"set-decision", put, "/decisions/{id}", ScopeWork, "Move the last day of a decision",
				body(s, decisionsAPI{s}.changeDecision), []option{fails(forbidden, notFound, mistaken)}},
			{"end-decision", remove, "/decisions/{id}", ScopeWork, "End a decision before its date",
				done(s, decisionsAPI{s}.endDecision), []option{empty, fails(forbidden, notFound)}},
		}},
		{"Waves", s.waveRoutes()},
		{"Releases", s.releaseRoutes()},
		{"Knowledge", []route{
			{"knowledge", get, "/knowledge", ScopeRead, "List your own steps, firmware guides and prices",
				body(s, knowledgeAPI{s}.listKnowledge), nil},
			{"knowledge-document", get, "/knowledge/{kind}", ScopeRead,
				"Get the document of one kind, with what the program ships",
				body(s, knowledgeAPI{s}.showKnowledge), []option{versioned[api.KnowledgeText]}},
			{"set-knowledge", put, "/knowledge/{kind}", ScopeManage,
				"Put a document in force; the fleet is judged again if that can change a result",
				body(
					s,
					knowledgeAPI{s}.setKnowledge,
				), []option{versioned[api.KnowledgeText], replaced, atMost(doc.MaxBytes + 1), fails(mistaken),
					says("The earlier document is kept, and stays in force if this one has mistakes.")}},
			{"validate-knowledge", post, "/knowledge/{kind}/validate", ScopeManage,
				"Validate a document without putting it in force",
				body(s, knowledgeAPI{s}.validateKnowledge), []option{atMost(doc.MaxBytes + 1), fails(mistaken)}},
			{"knowledge-history", get, "/knowledge/{kind}/history", ScopeRead,
				"List the documents of one kind that were in force",
				body(s, knowledgeAPI{s}.history), nil},
			{"knowledge-version", get, "/knowledge/{kind}/history/{number}", ScopeRead,
				"Get a document that is or was in force", body(s, knowledgeAPI{s}.version), []option{fails(notFound)}},
			{"activate-knowledge", post, "/knowledge/{kind}/history/{number}/activate", ScopeManage,
				"Put an earlier document in force again",
				body(s, knowledgeAPI{s}.activate), []option{fails(notFound, mistaken),
					says("It gets a number of its own, and the fleet is judged again if that can change a result. " +
						"One with mistakes by the rules of this version is refused.")}},
			{"remove-knowledge", remove, "/knowledge/{kind}", ScopeManage, "Return to what the program ships",
				body(s, knowledgeAPI{s}.removeKnowledge), []option{fails(notFound)}},
		}},
		{"People", []route{
			{"users", get, "/users", ScopeManage, "List users", body(s, peopleAPI{s}.listUsers), nil},
			{"user", get, "/users/{name}", ScopeManage, "Show a user", body(s, peopleAPI{s}.showUser),
				[]option{versioned[api.SetUser]}},
			{"set-user", put, "/users/{name}", ScopeManage, "Add or change a user", body(s, peopleAPI{s}.setUser),
				[]option{replaced, fails(conflict)}},
			{"remove-user", remove, "/users/{name}", ScopeManage, "Remove a user",
				done(s, peopleAPI{s}.removeUser), []option{empty, fails(notFound, conflict)}},
			{"set-password", put, "/session/password", ScopeRead,
				"Change your own password; you are signed out everywhere",
				done(s, peopleAPI{s}.changePassword), []option{empty, fails(notFound, mistaken, tooMany)}},
			{"audit", get, "/audit", ScopeManage, "Show the audit log, newest first",
				body(s, peopleAPI{s}.listAudit), nil},
		}},
		{"Settings", []route{
			{"settings", get, "/settings", ScopeRead, "Show the settings",
				body(s, settingsAPI{s}.showSettings), []option{versioned[api.Settings]}},
			{
				"set-settings",
				put,
				"/settings",
				ScopeManage,
				"Change the settings",
				body(s, settingsAPI{s}.setSettings),
				[]option{versioned[api.Settings], replaced, fails(mistaken)},
			},
			{"tokens", get, "/tokens", ScopeManage, "List tokens", body(s, settingsAPI{s}.listTokens), nil},
			{"add-token", post, "/tokens", ScopeManage, "Create a token", body(s, settingsAPI{s}.addToken),
				[]option{fails(conflict)}},
			{"remove-token", remove, "/tokens/{id}", ScopeManage, "Remove a token",
				done(s, settingsAPI{s}.removeToken), []option{empty, fails(notFound)}},
			{
				"sites",
				get,
				"/sites",
				ScopeRead,
				"List sites",
				body(s, settingsAPI{s}.listSites),
				[]option{versioned[api.SiteList]},
			},
			{"set-sites", put, "/sites", ScopeManage, "Replace all sites", body(s, settingsAPI{s}.setSites),
				[]option{versioned[api.SiteList], replaced, fails(mistaken)}},
			{"webhooks", get, "/webhooks", ScopeManage, "List webhooks",
				body(s, webhooksAPI{s}.listWebhooks), nil},
			{"webhook", get, "/webhooks/{name}", ScopeManage, "Show a webhook", body(s, webhooksAPI{s}.showWebhook),
				[]option{versioned[api.SetWebhook]}},
			{"set-webhook", put, "/webhooks/{name}", ScopeManage, "Add or change a webhook",
				body(s, webhooksAPI{s}.setWebhook), []option{replaced, fails(mistaken),
					says("It receives changes from now on, in order. A message is repeated until the address " +
						"answers 2xx. Messages are signed (RFC 9421, hmac-sha256) over method, address and digest " +
						"(RFC 9530).")}},
			{"remove-webhook", remove, "/webhooks/{name}", ScopeManage, "Remove a webhook",
				done(s, webhooksAPI{s}.removeWebhook), []option{empty, fails(notFound)}},
		}},
		{"Operation", []route{
			{"backup", get, "/backup", ScopeManage, "Download a copy of the database",
				on(s, s.backup), []option{
					says("It contains everything, including hashes of passwords and tokens. Reading and writing " +
						"continue meanwhile."),
					answers("A SQLite database", "application/vnd.sqlite3")}},
		}},
	}
}

func (s *Server) waveRoutes() []route {
	wrong, replaced := fails(notFound, mistaken), versionsAPI{s}.replaces
	return []route{
		{"waves", get, "/waves", ScopeRead, "List waves, blackout days and forecasts", body(s, wavesAPI{s}.listWaves),
			[]option{wrong}},
		{"forecast", get, "/forecast", ScopeRead,
			"Forecast whether machines arrive before their support ends, at the present pace or at another one",
			body(s, wavesAPI{s}.showForecast), []option{fails(mistaken)}},
		{"resume-wave", post, "/waves/{id}/resume", ScopeManage, "Let a wave go on that its stop rule paused",
			body(s, wavesAPI{s}.resumeWave), []option{wrong}},
		{"add-wave", post, "/waves", ScopeManage, "Add a wave", body(s, wavesAPI{s}.addWave), []option{wrong}},
		{"wave", get, "/waves/{id}", ScopeRead, "Show a wave with its machines, and why others cannot enter",
			body(s, wavesAPI{s}.showWave), []option{versioned[api.MakeWave], wrong}},
		{
			"set-wave",
			put,
			"/waves/{id}",
			ScopeManage,
			"Change a wave",
			body(s, wavesAPI{s}.setWave),
			[]option{versioned[api.MakeWave], replaced, wrong},
		},
		{"end-wave", remove, "/waves/{id}", ScopeManage,
			"End a wave; machines that were not handed off are free again",
			done(s, wavesAPI{s}.endWave), []option{wrong, empty}},
		{"add-wave-machines", post, "/waves/{id}/machines", ScopeManage, "Add machines to a wave",
			body(s, wavesAPI{s}.fillWave), []option{wrong}},
		{"remove-wave-machine", remove, "/waves/{id}/machines/{key}", ScopeManage, "Remove a machine from a wave",
			done(s, wavesAPI{s}.removeMember), []option{wrong, empty}},
		{"hand-off", get, "/waves/{id}/hand-off", ScopeRead, "Get the machines of a wave for a deployment system",
			on(s, wavesAPI{s}.handOff),
			[]option{wrong, answersTable[api.HandOff]("rolltop-handoff/1, or its machines as CSV or NDJSON")}},
		{"record-hand-off", post, "/waves/{id}/hand-off", ScopeManage,
			"Record that machines of a wave were handed off, and notify webhooks",
			body(s, wavesAPI{s}.handedOff), []option{wrong}},
		{"set-outcomes", post, "/waves/{id}/outcomes", ScopeWork,
			"Record the outcomes that a deployment system reports",
			body(s, wavesAPI{s}.outcomes), []option{wrong}},
		{"import-outcomes", post, "/waves/{id}/outcomes/file", ScopeWork,
			"Import the outcomes of machines from a file",
			body(s, wavesAPI{s}.outcomesFile), []option{wrong, atMost(tables.MaxBytes * 2),
				says(
					"CSV with columns for machine, outcome (arrived, failed, back), reason and release, or one " +
						"object per line. Usual headings and words are recognized; others are named in columns and " +
						"words. A refused row does not affect the others.",
				)}},
		{"blackout", get, "/blackout", ScopeRead, "List the days on which nothing is upgraded",
			body(s, wavesAPI{s}.listBlackout), []option{versioned[api.Blackouts]}},
		{"set-blackout", put, "/blackout", ScopeManage, "Set the days on which nothing is upgraded",
			done(s, wavesAPI{s}.setBlackout), []option{replaced, wrong, empty}},
	}
}

func (s *Server) releaseRoutes() []route {
	replaced := versionsAPI{s}.replaces
	return []route{
		{
			"releases",
			get,
			"/releases",
			ScopeRead,
			"List release documents",
			body(s, releasesAPI{s}.listReleases),
			nil,
		},
		{"release", get, "/releases/{id}", ScopeRead, "Show a release in sentences", body(s,
			releasesAPI{s}.showRelease),
			[]option{fails(notFound)}},
		{"release-document", get, "/releases/{id}/document", ScopeRead,
			"Get a release document as it was added; with the files that it names, as a bundle",
			on(s, releasesAPI{s}.releaseDocument), []option{
				fails(notFound), answers("The document, or rolltop-bundle/1", "application/yaml")}},
		{"release-text", get, "/releases/{id}/text", ScopeRead, "Get a release document and its files for editing",
			body(s, releasesAPI{s}.releaseText), []option{fails(notFound)}},
		{"release-difference", get, "/releases/{id}/difference", ScopeRead,
			"Show how a revision differs from another revision or release", body(s, releasesAPI{s}.releaseDifference),
			[]option{fails(notFound, mistaken)}},
		{"compare-page", post, "/releases/{id}/compare-page", ScopeManage,
			"Compare a newer page of the publisher with the one that a release keeps",
			body(s, releasesAPI{s}.comparePage),
			[]option{atMost(tables.MaxBytes*4/3 + 4096), within(time.Minute), fails(notFound, mistaken)}},
		{"new-release", get, "/skeleton", ScopeRead, "Get a commented release document to fill in",
			body(s, releasesAPI{s}.skeleton), nil},
		{"validate-release", post, "/releases/validate", ScopeManage, "Validate a release document without saving it",
			body(s, releasesAPI{s}.validateRelease), []option{takesDocument[release.Document](doc.MaxBytes)}},
		{"import-list", post, "/lists/import", ScopeManage, "Make a list from a table in a file, without saving it",
			body(s, releasesAPI{s}.importList),
			[]option{atMost(tables.MaxBytes*4/3 + 4096), within(time.Minute), fails(mistaken)}},
		{"import-applications", post, "/applications/import", ScopeManage,
			"Make entries of applications from a table in a file, without saving them",
			body(s, releasesAPI{s}.importApplications),
			[]option{atMost(tables.MaxBytes*4/3 + 4096), within(time.Minute), fails(mistaken)}},
		{"titles", get, "/titles", ScopeSubmit,
			"List the titles that collectors look for: those that the targets name",
			body(s, releasesAPI{s}.titles), nil},
		{"add-release", post, "/releases", ScopeManage, "Add a release document, or a revision of one",
			body(s, releasesAPI{s}.addRelease),
			[]option{fails(conflict), takesDocument[release.Document](doc.MaxBytes)}},
		{"activate-release", post, "/releases/{id}/activate", ScopeManage,
			"Put a revision of a release in force",
			body(s, releasesAPI{s}.activate), []option{fails(notFound, mistaken),
				says("The fleet is judged again. Adding a release or a revision puts nothing in force. " +
					"Preview the effect with POST /what-if. " +
					"Going back to an earlier revision is the same operation.")}},
		{"targets", get, "/targets", ScopeRead, "Show the target release of each class of hardware",
			body(s, releasesAPI{s}.showTargets), []option{versioned[api.TargetSet]}},
		{"set-targets", put, "/targets", ScopeManage, "Choose the target releases; the fleet is judged again",
			body(
				s,
				releasesAPI{s}.setTargets,
			), []option{versioned[api.TargetSet], replaced, fails(notFound, mistaken)}},
		{"what-if", post, "/what-if", ScopeRead,
			"Preview which machines would change under a draft, another revision or another release",
			body(s, changesAPI{s}.whatIf), []option{
				says("Nothing is saved. Machines are judged from their stored facts."),
				atMost(doc.MaxBytes*2 + 1), fails(notFound, mistaken)}},
		{"judging", get, "/judging", ScopeRead, "Show the progress of judging the fleet",
			body(s, changesAPI{s}.judging), nil},
		{"rule-changes", get, "/rule-changes", ScopeRead, "List changes of rules, with how many machines changed",
			body(s, changesAPI{s}.listRuleChanges), nil},
		{"rule-change", get, "/rule-changes/{id}", ScopeRead,
			"Show which machines changed with a change of rules, and by which requirements", body(s,
				changesAPI{s}.showRuleChange),
			[]option{fails(notFound)}},
	}
}

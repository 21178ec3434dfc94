package server

import (
	"context"
	"net/http"
	"reflect"
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

// route is one operation of the API: one row, and the only place where its address, its scope and
// its description stand.
type route struct {
	id, method, path string
	scope            string
	summary          string
	handler          handler
	options          []option
}

// handler registers an operation with the function that does it.
type handler func(huma.API, huma.Operation)

// option changes the description of an operation, or what is done before it.
type option func(huma.API, *huma.Operation)

// on makes a handler of a function. Its errors become problems here, so that no function has to
// think of it.
func on[I, O any](s *Server, f func(context.Context, *I) (*O, error)) handler {
	return func(a huma.API, op huma.Operation) {
		huma.Register(a, op, func(ctx context.Context, in *I) (*O, error) {
			out, err := f(ctx, in)
			if err != nil {
				return nil, s.problem(err)
			}
			return out, nil
		})
	}
}

// body makes a handler of a function whose answer is a body and nothing else.
func body[I, O any](s *Server, f func(context.Context, *I) (O, error)) handler {
	return on(s, func(ctx context.Context, in *I) (*struct{ Body O }, error) {
		out, err := f(ctx, in)
		return &struct{ Body O }{out}, err
	})
}

// done makes a handler of a function that answers nothing.
func done[I any](s *Server, f func(context.Context, *I) error) handler {
	return on(s, func(ctx context.Context, in *I) (*struct{}, error) { return nil, f(ctx, in) })
}

const (
	get    = http.MethodGet
	put    = http.MethodPut
	post   = http.MethodPost
	remove = http.MethodDelete
)

// Statuses of problems that operations have beside those that all have.
const (
	forbidden   = http.StatusForbidden
	notFound    = http.StatusNotFound
	conflict    = http.StatusConflict
	mistaken    = http.StatusUnprocessableEntity
	tooMany     = http.StatusTooManyRequests
	unsupported = http.StatusUnsupportedMediaType
	tooLarge    = http.StatusRequestEntityTooLarge
	busy        = http.StatusServiceUnavailable
	diskFull    = http.StatusInsufficientStorage
)

// fails says which problems an operation answers.
func fails(statuses ...int) option {
	return func(_ huma.API, op *huma.Operation) { op.Errors = append(op.Errors, statuses...) }
}

// says describes an operation beyond its summary.
func says(text string) option {
	return func(_ huma.API, op *huma.Operation) { op.Description = text }
}

// empty says that an operation answers nothing.
func empty(_ huma.API, op *huma.Operation) { op.DefaultStatus = http.StatusNoContent }

// everywhere marks an operation that reaches beyond sites: who is limited to some may not call it.
func everywhere(_ huma.API, op *huma.Operation) { op.Metadata[metaEverywhere] = true }

// atMost bounds the body of a request, in bytes.
func atMost(bytes int64) option {
	return func(_ huma.API, op *huma.Operation) { op.MaxBodyBytes = bytes }
}

// within bounds how long the body of a request may take.
func within(d time.Duration) option {
	return func(_ huma.API, op *huma.Operation) { op.BodyReadTimeout = d }
}

// answers says what an operation answers that is no object of the API: of which media types.
func answers(what string, types ...string) option {
	return func(_ huma.API, op *huma.Operation) {
		content := map[string]*huma.MediaType{}
		for _, t := range types {
			content[t] = &huma.MediaType{}
		}
		op.Responses = map[string]*huma.Response{"200": {Description: what, Content: content}}
	}
}

// answersText says that an operation answers a text of a media type, and what that is.
func answersText(what string, types map[string]string) option {
	return func(_ huma.API, op *huma.Operation) {
		content := map[string]*huma.MediaType{}
		for t, is := range types {
			content[t] = &huma.MediaType{Schema: &huma.Schema{Type: huma.TypeString, Description: is}}
		}
		op.Responses = map[string]*huma.Response{"200": {Description: what, Content: content}}
	}
}

// answersDocument says that an operation answers a document of a type, as it is kept.
func answersDocument[T any](what, mediaType string) option {
	return func(a huma.API, op *huma.Operation) {
		schema := a.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[T](), true, "")
		content := map[string]*huma.MediaType{mediaType: {Schema: schema}}
		op.Responses = map[string]*huma.Response{"200": {Description: what, Content: content}}
	}
}

// takesLines says that an operation takes a document a line.
func takesLines(_ huma.API, op *huma.Operation) {
	op.RequestBody = &huma.RequestBody{
		Required: true,
		Content:  map[string]*huma.MediaType{"application/x-ndjson": {}},
	}
}

// takesDocument describes a body of a document type, which our own strict reader reads and the
// library would otherwise call a string of bytes.
func takesDocument[T any](maxBytes int64) option {
	return func(a huma.API, op *huma.Operation) {
		schema := a.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[T](), true, "")
		op.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{
			"application/json": {Schema: schema},
			"application/yaml": {Schema: schema},
		}}
		op.MaxBodyBytes = maxBytes + 1
		op.BodyReadTimeout = 30 * time.Second
		op.SkipValidateBody = true
		op.Errors = append(op.Errors, tooLarge, unsupported, mistaken)
	}
}

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
			r.handler(a, op)
		}
	}
}

func (s *Server) routes() []group {
	const tableSays = "CSV opens right in spreadsheet programs: a text that one would take for a formula gets an " +
		"apostrophe. "
	table := []string{"text/csv", "application/json", "application/x-ndjson"}
	return []group{
		{"Session", []route{
			{"version", get, "/version", open, "Which program answers", body(s, sessionAPI{s}.version), nil},
			{"sign-in", post, "/session", open, "Sign in", on(s, sessionAPI{s}.signIn),
				[]option{fails(http.StatusUnauthorized, tooMany)}},
			{"who", get, "/session", open, "Who is signed in", body(s, sessionAPI{s}.who), nil},
			{"sign-out", remove, "/session", anybody, "Sign out", on(s, sessionAPI{s}.signOut), []option{empty}},
			{"take-invitation", post, "/session/first", open,
				"Make the first administrator with the link that the first start printed",
				on(s, sessionAPI{s}.takeInvitation), []option{fails(forbidden, conflict, tooMany)}},
			{"add-own-token", post, "/session/token", ScopeRead, "Make a token that may do what you may",
				body(s, sessionAPI{s}.addOwnToken), nil},
			{"end-own-token", remove, "/session/token", anybody, "End the token that this is sent with",
				done(s, sessionAPI{s}.endOwnToken), []option{empty, fails(notFound)}},
		}},
		{"Inventories", []route{
			{"submit", post, "/inventories", ScopeSubmit, "Hand in the inventory of a machine",
				body(s, intakeAPI{s}.submit), []option{
					says("A machine with a key signs it: RFC 9421 over @method and content-digest with ed25519, the " +
						"public key as " +
						"keyid, and the tag rolltop-inventory. An inventory that does not come from whoever may " +
						"speak " +
						"for its " +
						"machine is kept beside the others for a person to look at."),
					takesDocument[inventory.Document](inventory.MaxBytes), s.taking(1, true)}},
			{"submit-lines", post, "/inventories/lines", ScopeSubmit, "Hand in several inventories, one a line",
				on(s, intakeAPI{s}.submitLines), []option{
					says("NDJSON, which may be packed with gzip. A line that is refused takes nothing from the " +
						"others; each is " +
						"answered by a line, in their order, once it is kept."),
					takesLines, answersDocument[api.SubmittedLine]("A line for each line", "application/x-ndjson"),
					fails(unsupported), s.taking(service.LinesWeight, false)}},
			{"read-sheet", post, "/sheets/read", ScopeManage,
				"Make inventories of the rows of a spreadsheet, and keep nothing",
				body(s, intakeAPI{s}.readSheet), []option{
					says("What a heading does not say is asked. The lines of the answer are what POST " +
						"/inventories/lines takes."),
					atMost(tables.MaxBytes * 2), fails(mistaken)}},
		}},
		{"Intake", []route{
			{"collectors", get, "/collectors", ScopeRead, "The collectors that the service hands out",
				body(s, s.listCollectors), nil},
			{"expected", get, "/expected", ScopeRead, "Machines that should be here, those that never reported first",
				body(s, expectedAPI{s}.listExpected), nil},
			{"set-expected", put, "/expected", ScopeManage, "Replace the list of machines that should be here",
				body(s, expectedAPI{s}.setExpected), []option{atMost(doc.MaxBytes * 8), fails(mistaken)}},
			{"say-why", put, "/expected/{id}/reason", ScopeWork, "Say why an expected machine does not report",
				done(s, expectedAPI{s}.setReason), []option{empty, fails(notFound)}},
		}},
		{"Devices", []route{
			{"devices", get, "/devices", ScopeRead, "List machines", body(s, devicesAPI{s}.listDevices),
				[]option{fails(mistaken)}},
			{"device", get, "/devices/{key}", ScopeRead, "One machine, checked now", body(s, devicesAPI{s}.showDevice),
				[]option{fails(notFound)}},
			{"remove-device", remove, "/devices/{key}", ScopeManage,
				"Remove a machine with everything that is known of it",
				done(s, devicesAPI{s}.removeDevice), []option{empty, fails(notFound),
					says("Its inventories, facts, ticks and links go; of what was done to it, only that something " +
						"was done to a " +
						"machine of that number stays.")}},
			{"inventory", get, "/devices/{key}/inventory", ScopeRead, "The inventory document of a machine",
				on(s, devicesAPI{s}.showInventory), []option{fails(notFound),
					answersDocument[inventory.Document]("The document", "application/json")}},
			{"check", get, "/devices/{key}/check", ScopeRead, "Check one machine against any release",
				body(s, factsAPI{s}.checkDevice), []option{fails(notFound, mistaken)}},
			{"enter-fact", put, "/devices/{key}/facts/{fact}", ScopeWork, "Enter a fact by hand",
				body(s, factsAPI{s}.enterFact), []option{fails(notFound, mistaken),
					says("It fills a gap. Where it differs from what was read, both stay, as sources that disagree.")}},
			{"take-back-fact", remove, "/devices/{key}/facts/{fact}", ScopeWork,
				"Take back a fact that was entered by hand",
				body(s, factsAPI{s}.takeBackFact), []option{fails(notFound)}},
			{"compare", get, "/compare", ScopeRead, "Two machines, or two inventories of one, side by side",
				body(s, factsAPI{s}.compare), []option{fails(notFound)}},
			{"mark", post, "/marks", ScopeWork,
				"Tag machines, place them, take them out of use: those that a filter picks",
				body(s, marksAPI{s}.mark), []option{fails(mistaken), says("All of them are changed, or none.")}},
			{"tags", get, "/tags", ScopeRead, "The tags that machines bear", body(s, marksAPI{s}.listTags), nil},
			{"saved-filters", get, "/filters", ScopeRead, "List saved filters", body(s, marksAPI{s}.listFilters), nil},
			{"save-filter", put, "/filters/{name}", ScopeWork, "Save a filter for everybody, or replace one",
				body(s, marksAPI{s}.saveFilter), []option{fails(mistaken)}},
			{"drop-filter", remove, "/filters/{name}", ScopeWork, "Forget a saved filter",
				done(s, marksAPI{s}.dropFilter), []option{empty, fails(notFound)}},
			{"doubts", get, "/doubts", ScopeRead,
				"Machines that may be one, and inventories that may be of another machine",
				body(s, duplicatesAPI{s}.listDuplicates), nil},
			{"settle-doubt", post, "/doubts/{id}", ScopeWork, "Say whether it is one machine or two",
				done(s, duplicatesAPI{s}.resolveDuplicate), []option{empty, fails(notFound)}},
			{"rekey", post, "/devices/{key}/rekey", ScopeWork, "Let a machine speak with another key",
				done(s, duplicatesAPI{s}.rekey), []option{empty, fails(notFound, mistaken),
					says("After its board, its disk or its system was changed. An inventory that waits beside the " +
						"others and is " +
						"signed becomes the latest, and its key the machine's; where none waits, the next one that " +
						"is signed does.")}},
			{"model-facts", get, "/model-facts", ScopeRead, "Facts that were entered for every machine of a model",
				body(s, factsAPI{s}.listModelFacts), nil},
			{"enter-model-fact", post, "/model-facts", ScopeWork, "Enter a fact for every machine of a model",
				body(s, factsAPI{s}.enterModelFact), []option{everywhere, fails(notFound, mistaken),
					says("It fills gaps: what was read of a machine itself, or entered for it, counts more.")}},
			{"take-back-model-fact", remove, "/model-facts/{id}", ScopeWork, "Take back a fact of a model",
				body(s, factsAPI{s}.takeBackModelFact), []option{everywhere, fails(notFound)}},
			{"export", get, "/export", ScopeRead, "Every machine that a filter picks, as a table",
				on(s, exportAPI{s}.export), []option{
					fails(mistaken), says(tableSays + "NDJSON has one object a line."),
					answers("The table", table...)}},
			{"report", get, "/devices/{key}/report", ScopeRead, "The check of one machine, to hand over",
				on(s, reportAPI{s}.report), []option{
					fails(notFound, mistaken),
					says("A page that needs nothing beside it, or a text of at most 4,000 characters for a ticket."),
					answersText("The report",
						map[string]string{"text/html": "A page", "text/plain": "A text in Markdown"})}},
			{"tick", put, "/devices/{key}/ticks/{kind}/{item}", ScopeWork,
				"Say that an item of preparation or a step is done, or refuse it", body(s, visitsAPI{s}.tick),
				[]option{fails(notFound, mistaken),
					says("It stands with the name of who says it. It makes no fact: the next inventory confirms a " +
						"step, or shows " +
						"that it had no effect.")}},
			{"untick", remove, "/devices/{key}/ticks/{kind}/{item}", ScopeWork, "Take back what was said of an item",
				body(s, visitsAPI{s}.untick), []option{fails(notFound)}},
			{"visit-link", post, "/devices/{key}/visit-link", ScopeWork,
				"Make a link to the page of the visit, for a telephone",
				body(s, visitsAPI{s}.makeLink), []option{fails(notFound, mistaken),
					says("Whoever has the link sees the steps of the visit and no serial numbers, without signing " +
						"in, until it expires.")}},
			{"end-visit-links", remove, "/devices/{key}/visit-link", ScopeWork,
				"End all links to the page of the visit",
				done(s, visitsAPI{s}.endLinks), []option{empty, fails(notFound)}},
			{"after", get, "/devices/{key}/after", ScopeRead, "What the work since an earlier inventory has come to",
				body(s, visitsAPI{s}.after), []option{fails(notFound, mistaken)}},
		}},
		{"Fleet", []route{
			{"fleet", get, "/fleet", ScopeRead, "Count machines", body(s, fleetAPI{s}.showFleet),
				[]option{fails(mistaken), says(fleet.Doc())}},
			{"fleet-report", get, "/fleet/report", ScopeRead, "What the fleet looks like, to hand over",
				on(s, fleetAPI{s}.fleetReport), []option{fails(mistaken), says("A page that needs nothing beside it."),
					answersText("The page", map[string]string{"text/html": ""})}},
			{"grid", get, "/grid", ScopeRead, "Machines beside requirements: what each has, and what is missing",
				body(s, fleetAPI{s}.showMatrix), []option{fails(mistaken)}},
			{"events", get, "/events", ScopeRead, "Hear of changes as they happen", on(s, eventsAPI{s}.listen),
				[]option{fails(busy),
					says("Server-sent events. “changed” says that machines changed, and nothing of which or how: " +
						"whoever " +
						"shows some " +
						"asks for them again."), answers("The events", "text/event-stream")}},
			{"progress", get, "/progress", ScopeRead, "How many machines there were of each disposition, day by day",
				body(s, fleetAPI{s}.progress), nil},
		}},
		{"Work", []route{
			{"worklist", get, "/work", ScopeRead, "Visits, batches, the parts order, questions and the watch list",
				body(s, workAPI{s}.showWork), []option{fails(mistaken)}},
			{"assign", post, "/work/assign", ScopeWork, "Give the work on machines to somebody",
				body(s, workAPI{s}.assign), []option{fails(mistaken)}},
			{"put-stock", put, "/work/stock", ScopeWork, "Note what is there of a part, and how long the rest takes",
				done(s, workAPI{s}.putStock), []option{everywhere, empty, fails(mistaken)}},
			{"messages", get, "/work/messages", ScopeRead, "What to tell the people whose machines are worked on",
				body(s, workAPI{s}.messages), []option{fails(mistaken)}},
			{"visit-sheet", get, "/work/sheet", ScopeRead,
				"The visits of a place for printing, with the guides of exactly those boards and no serial numbers",
				on(s, workAPI{s}.visitSheet),
				[]option{fails(mistaken), answers("A page that stands by itself", "text/html")}},
			{"effects", get, "/work/effects", ScopeRead,
				"Which remedies free the most machines, alone and in the best order",
				body(s, workAPI{s}.showWins), []option{fails(mistaken)}},
			{"export-work", get, "/work/export", ScopeRead, "A list of the fleet's work as a table",
				on(s, exportAPI{s}.exportWork), []option{
					fails(mistaken), says(tableSays +
						"JSON and NDJSON have the rows with the names of the columns; all values are texts."),
					answers("The table", table...)}},
			{"decisions", get, "/decisions", ScopeRead,
				"Waivers, stays, holds and machines to leave alone, with those that ended lately",
				body(s, decisionsAPI{s}.listDecisions), nil},
			{"add-decision", post, "/decisions", ScopeWork, "Decide something about machines until a date",
				body(s, decisionsAPI{s}.addDecision), []option{fails(forbidden, mistaken),
					says("A technician may say that machines are left alone until a date; the other kinds are an " +
						"administrator's.")}},
			{"end-decision", remove, "/decisions/{id}", ScopeWork, "End a decision before its date",
				done(s, decisionsAPI{s}.endDecision), []option{empty, fails(forbidden, notFound)}},
		}},
		{"Waves", s.waveRoutes(table)},
		{"Releases", s.releaseRoutes()},
		{"House", []route{
			{"houses", get, "/house", ScopeRead,
				"What plans are made with beside releases: own steps, firmware guides, prices",
				body(s, knowledgeAPI{s}.listKnowledge), nil},
			{"house", get, "/house/{kind}", ScopeRead, "The document of one kind, with what the program ships",
				body(s, knowledgeAPI{s}.showKnowledge), nil},
			{"put-house", put, "/house/{kind}", ScopeManage,
				"Put a document in force; the fleet is judged again where it decides",
				body(s, knowledgeAPI{s}.putKnowledge), []option{atMost(doc.MaxBytes + 1), fails(mistaken),
					says("The document before it is kept, and stays in force where this one has mistakes.")}},
			{"validate-house", post, "/house/{kind}/validate", ScopeManage,
				"Read a document without putting it in force",
				body(s, knowledgeAPI{s}.validateKnowledge), []option{atMost(doc.MaxBytes + 1), fails(mistaken)}},
			{"drop-house", remove, "/house/{kind}", ScopeManage, "Go back to what the program ships",
				body(s, knowledgeAPI{s}.dropKnowledge), []option{fails(notFound)}},
		}},
		{"People", []route{
			{"users", get, "/users", ScopeManage, "List users", body(s, peopleAPI{s}.listUsers), nil},
			{"put-user", put, "/users/{name}", ScopeManage, "Add a user, or change one", body(s, peopleAPI{s}.putUser),
				[]option{fails(conflict)}},
			{"remove-user", remove, "/users/{name}", ScopeManage, "Take a user out",
				done(s, peopleAPI{s}.removeUser), []option{empty, fails(notFound, conflict)}},
			{"change-password", put, "/session/password", ScopeRead,
				"Change one's own password; it signs out everywhere",
				done(s, peopleAPI{s}.changePassword), []option{empty, fails(notFound, mistaken, tooMany)}},
			{"acts", get, "/acts", ScopeManage, "What was changed, by whom, the latest first",
				body(s, peopleAPI{s}.listActs), nil},
		}},
		{"Settings", []route{
			{"settings", get, "/settings", ScopeRead, "How long things are kept, and who sees what",
				body(s, settingsAPI{s}.showSettings), nil},
			{"put-settings", put, "/settings", ScopeManage, "Change them", body(s, settingsAPI{s}.putSettings),
				[]option{fails(mistaken)}},
			{"tokens", get, "/tokens", ScopeManage, "List tokens", body(s, settingsAPI{s}.listTokens), nil},
			{"add-token", post, "/tokens", ScopeManage, "Make a token", body(s, settingsAPI{s}.addToken),
				[]option{fails(conflict)}},
			{"delete-token", remove, "/tokens/{id}", ScopeManage, "End a token",
				done(s, settingsAPI{s}.removeToken), []option{empty, fails(notFound)}},
			{"places", get, "/places", ScopeRead, "List places", body(s, settingsAPI{s}.listSites), nil},
			{"set-places", put, "/places", ScopeManage, "Replace all places", body(s, settingsAPI{s}.setSites),
				[]option{fails(mistaken)}},
			{"hooks", get, "/hooks", ScopeManage, "Addresses that are told of changes of disposition",
				body(s, webhooksAPI{s}.listWebhooks), nil},
			{"put-hook", put, "/hooks/{name}", ScopeManage, "Add an address, or change one",
				body(s, webhooksAPI{s}.putWebhook), []option{fails(mistaken),
					says("It is sent what changes from now on, in the order in which it happened, again and again " +
						"until it answers " +
						"2xx. Messages are signed (RFC 9421, hmac-sha256) over their method, address and digest (RFC " +
						"9530).")}},
			{"remove-hook", remove, "/hooks/{name}", ScopeManage, "Tell an address no more",
				done(s, webhooksAPI{s}.removeWebhook), []option{empty, fails(notFound)}},
		}},
		{"Running it", []route{
			{"backup", get, "/backup", ScopeManage, "A copy of the whole database, as it is at one moment",
				on(s, s.backup), []option{
					says("It holds everything, hashes of passwords and tokens among it. Reading and writing go on " +
						"meanwhile."),
					answers("A SQLite database", "application/vnd.sqlite3")}},
		}},
	}
}

func (s *Server) waveRoutes(table []string) []route {
	wrong := fails(notFound, mistaken)
	return []route{
		{"waves", get, "/waves", ScopeRead, "Waves, blackout days and forecasts", body(s, wavesAPI{s}.listWaves),
			[]option{wrong}},
		{"add-wave", post, "/waves", ScopeManage, "Add a wave", body(s, wavesAPI{s}.addWave), []option{wrong}},
		{"wave", get, "/waves/{id}", ScopeRead, "A wave with its machines, and why others may not enter",
			body(s, wavesAPI{s}.showWave), []option{wrong}},
		{"put-wave", put, "/waves/{id}", ScopeManage, "Change a wave", body(s, wavesAPI{s}.putWave), []option{wrong}},
		{"end-wave", remove, "/waves/{id}", ScopeManage,
			"End a wave; machines that were not handed over are free again",
			done(s, wavesAPI{s}.endWave), []option{wrong, empty}},
		{"fill-wave", post, "/waves/{id}/machines", ScopeManage, "Put machines into a wave",
			body(s, wavesAPI{s}.fillWave), []option{wrong}},
		{"drop-wave-machine", remove, "/waves/{id}/machines/{key}", ScopeManage, "Take a machine out of a wave",
			done(s, wavesAPI{s}.dropMember), []option{wrong, empty}},
		{"hand-off", get, "/waves/{id}/hand-off", ScopeRead, "The machines of a wave for a deployment system",
			on(s, wavesAPI{s}.handOff),
			[]option{wrong, answers("rolltop-handoff/1, or its machines as CSV or NDJSON", table...)}},
		{"handed", post, "/waves/{id}/hand-off", ScopeManage,
			"Note that the machines of a wave were handed over, and tell those who are told of changes",
			body(s, wavesAPI{s}.handed), []option{wrong}},
		{"outcomes", post, "/waves/{id}/outcomes", ScopeWork, "What a deployment system says became of machines",
			body(s, wavesAPI{s}.outcomes), []option{wrong}},
		{"outcomes-file", post, "/waves/{id}/outcomes/file", ScopeWork, "What became of machines, in a file",
			body(s, wavesAPI{s}.outcomesFile), []option{wrong, atMost(tables.MaxBytes * 2),
				says("CSV with the columns machine, outcome (arrived, failed, back) and reason, or an object a line. " +
					"A row that is " +
					"refused takes nothing from the others.")}},
		{"set-blackout", put, "/blackout", ScopeManage, "Set the days on which nothing is upgraded",
			done(s, wavesAPI{s}.setBlackout), []option{wrong, empty}},
	}
}

func (s *Server) releaseRoutes() []route {
	return []route{
		{"releases", get, "/releases", ScopeRead, "List release documents", body(s, releasesAPI{s}.listReleases), nil},
		{"release", get, "/releases/{id}", ScopeRead, "One release in sentences", body(s, releasesAPI{s}.showRelease),
			[]option{fails(notFound)}},
		{"release-document", get, "/releases/{id}/document", ScopeRead,
			"A release document as it was given; with the files it names, a bundle",
			on(s, releasesAPI{s}.releaseDocument), []option{
				fails(notFound), answers("The document, or rolltop-bundle/1", "application/yaml")}},
		{"release-text", get, "/releases/{id}/text", ScopeRead, "A release document and its files, for editing",
			body(s, releasesAPI{s}.releaseText), []option{fails(notFound)}},
		{"release-difference", get, "/releases/{id}/difference", ScopeRead,
			"How a revision differs from another, or from another release", body(s, releasesAPI{s}.releaseDifference),
			[]option{fails(notFound, mistaken)}},
		{"skeleton", get, "/skeleton", ScopeRead, "A commented release document to fill in",
			body(s, releasesAPI{s}.skeleton), nil},
		{"validate-release", post, "/releases/validate", ScopeManage, "Read a release document without keeping it",
			body(s, releasesAPI{s}.validateRelease), []option{takesDocument[release.Document](doc.MaxBytes)}},
		{"import-list", post, "/lists/import", ScopeManage, "Make a list from a table in a file, without keeping it",
			body(s, releasesAPI{s}.importList),
			[]option{atMost(tables.MaxBytes*4/3 + 4096), within(time.Minute), fails(mistaken)}},
		{"titles", get, "/titles", ScopeSubmit, "Titles that collectors should look for: those that the targets know",
			body(s, releasesAPI{s}.titles), nil},
		{"add-release", post, "/releases", ScopeManage, "Add a release document, or a revision of one",
			body(s, releasesAPI{s}.addRelease),
			[]option{fails(conflict), takesDocument[release.Document](doc.MaxBytes)}},
		{"targets", get, "/targets", ScopeRead, "The target release of each class of hardware",
			body(s, releasesAPI{s}.showTargets), nil},
		{"set-targets", put, "/targets", ScopeManage, "Choose target releases; the fleet is judged again",
			body(s, releasesAPI{s}.setTargets), []option{fails(notFound, mistaken)}},
		{"what-if", post, "/what-if", ScopeRead,
			"Who would change disposition under a draft, another revision or another release",
			body(s, changesAPI{s}.whatIf), []option{
				says("Nothing is kept. Machines are judged from the facts that are stored."),
				atMost(doc.MaxBytes*2 + 1), fails(notFound, mistaken)}},
		{"judging", get, "/judging", ScopeRead, "How far the judging of the fleet by other rules has come",
			body(s, changesAPI{s}.judging), nil},
		{"rule-changes", get, "/rule-changes", ScopeRead,
			"Which rules were put in force, and how many machines changed with them",
			body(s, changesAPI{s}.listRuleChanges), nil},
		{"rule-change", get, "/rule-changes/{id}", ScopeRead,
			"Which machines changed with other rules, and by which requirements", body(s, changesAPI{s}.showRuleChange),
			[]option{fails(notFound)}},
	}
}

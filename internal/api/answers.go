package api

// FleetAnswers are the answers to questions that are asked of a whole fleet again and again.
type FleetAnswers struct {
	Where   string        `json:"where,omitempty"`
	Answers []FleetAnswer `json:"answers" doc:"In the order of a working day: what is ready, what comes first, what is bought"`
}

// FleetAnswer is one of them.
type FleetAnswer struct {
	Asks    string `json:"asks" doc:"The question"`
	Says    string `json:"says" doc:"The answer, in a sentence"`
	Where   string `json:"where,omitempty" doc:"Filter that lists the machines; absent if the answer is not a list of machines"`
	Place   string `json:"place" enum:"machines,applications,parts,releases" doc:"Where the console shows it"`
	Command string `json:"command" doc:"The command that shows it"`
}

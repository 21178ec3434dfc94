package api

// ApplicationList is the applications of some machines.
type ApplicationList struct {
	Says         string        `json:"says" doc:"In a sentence"`
	Where        string        `json:"where,omitempty"`
	Machines     int           `json:"machines"`
	Read         int           `json:"read" doc:"Machines whose applications were read, all of them or those that the target names"`
	Applications []Application `json:"applications" doc:"What has to go first stands first"`
}

// Application is an application of the fleet, and what it takes before the upgrade.
type Application struct {
	Name      string               `json:"name"`
	Publisher string               `json:"publisher,omitempty"`
	Machines  int                  `json:"machines"`
	Takes     string               `json:"takes" enum:"remove,buy,update,problem,possible,unnamed,fine" doc:"The most urgent of what its versions take"`
	Says      string               `json:"says" doc:"What it takes, in words"`
	Weight    string               `json:"weight,omitempty" enum:"required,advised,optional" doc:"How much the work on it matters"`
	Weighs    string               `json:"weighs,omitempty" doc:"The weight in words"`
	Answers   string               `json:"answers,omitempty" doc:"Who settles it; as the release says it, if it does"`
	Versions  []ApplicationVersion `json:"versions" doc:"By version"`
}

// ApplicationVersion is a version of an application.
type ApplicationVersion struct {
	Version  string `json:"version,omitempty" doc:"Absent if it is unknown"`
	Machines int    `json:"machines"`
	Takes    string `json:"takes" enum:"remove,buy,update,problem,possible,unnamed,fine" doc:"What the release says of the version; possible if something is missing, unnamed if it says nothing"`
	Says     string `json:"says" doc:"What it takes, in words"`
	Weight   string `json:"weight,omitempty" enum:"required,advised,optional" doc:"How much the work on it matters"`
	Note     string `json:"note,omitempty" doc:"What to do, or what the problem is"`
	Terms    string `json:"terms,omitempty" doc:"Cure, cost and who decides, in sentences"`
	Source   string `json:"source,omitempty" doc:"Where the publisher says it"`
}

// ApplicationMachines is the machines that have an application.
type ApplicationMachines struct {
	Says     string               `json:"says" doc:"In a sentence"`
	Name     string               `json:"name"`
	Where    string               `json:"where,omitempty"`
	Total    int                  `json:"total"`
	Machines []ApplicationMachine `json:"machines" doc:"By name, at most 2,000"`
}

// ApplicationMachine is an application on one machine.
type ApplicationMachine struct {
	Key       string `json:"key"`
	Name      string `json:"name"`
	Site      string `json:"site"`
	Model     string `json:"model"`
	Title     string `json:"title" doc:"As the machine lists it"`
	Publisher string `json:"publisher,omitempty"`
	Version   string `json:"version,omitempty"`
	Takes     string `json:"takes" enum:"remove,buy,update,problem,possible,unnamed,fine" doc:"What the release says of the version; possible if something is missing, unnamed if it says nothing"`
	Says      string `json:"says" doc:"What it takes, in words"`
	Weight    string `json:"weight,omitempty" enum:"required,advised,optional" doc:"How much the work on it matters"`
	Note      string `json:"note,omitempty"`
	Terms     string `json:"terms,omitempty" doc:"Cure, cost and who decides, in sentences"`
}

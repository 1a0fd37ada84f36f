package apitypes

import "time"

// Reach says where the service can be reached, and what a router or firewall has to let in.
type Reach struct {
	Outside string      `json:"outside,omitempty" doc:"Address that viewers outside come by, as the settings say" example:"https://cams.example.org"`
	Inside  []string    `json:"inside" doc:"Addresses of this machine in its networks"`
	Ports   []ReachPort `json:"ports"`
	Notes   []string    `json:"notes" doc:"What stands in the way, as far as it can be told from here"`
	Rules   *RuleList   `json:"rules,omitempty" doc:"Rules that the service has asked the router for"`
}

// ReachPort is one port that viewers or publishers come to.
type ReachPort struct {
	For      string `json:"for" doc:"What comes by it" example:"WebRTC"`
	Protocol string `json:"protocol" enum:"TCP,UDP"`
	Listen   string `json:"listen" doc:"Address that is listened on" example:"0.0.0.0:7601"`
	Port     int    `json:"port"`
	Open     bool   `json:"open" doc:"Whether it is listened on now"`
	Why      string `json:"why,omitempty" doc:"Why not, or what else to know"`
	Who      string `json:"who" enum:"machine,network" doc:"Who gets there without a router: this machine alone, or its network"`
	Rule     string `json:"rule,omitempty" doc:"What a router has to pass on; empty where it cannot help" example:"TCP 7600 to 192.0.2.10, port 7600"`
	Whom     string `json:"whom" enum:"viewers,engineers,publishers" doc:"Who outside needs it"`
}

// NewReachCheck is what making a check takes.
type NewReachCheck struct {
	Feed string `json:"feed,omitempty" maxLength:"63" doc:"Feed that is played; one that is live when left out" example:"lower-station"`
}

// ReachCheck is a check of the ways in that some device elsewhere makes.
type ReachCheck struct {
	Code    string        `json:"code" doc:"Opens it; whoever has it can watch the feed for as long"`
	Feed    string        `json:"feed,omitempty"`
	URL     string        `json:"url" doc:"To open on the device" example:"https://cams.example.org/reach/CODE"`
	Others  []string      `json:"others" doc:"The same by other addresses"`
	Ends    time.Time     `json:"ends"`
	Devices []ReachDevice `json:"devices" doc:"That have tried, the newest first"`
}

// ReachDevice is what one device found.
type ReachDevice struct {
	ID       string         `json:"id"`
	Address  string         `json:"address" doc:"As the service sees it"`
	Browser  string         `json:"browser"`
	At       time.Time      `json:"at" doc:"Of the newest finding"`
	Findings []ReachFinding `json:"findings"`
}

// ReachFinding is what came of one trial.
type ReachFinding struct {
	Trial    string  `json:"trial" enum:"http,https,hls,fragments,motion-jpeg,webrtc-udp,webrtc-tcp"`
	Name     string  `json:"name" example:"WebRTC over UDP"`
	Outcome  string  `json:"outcome"`
	Millis   float64 `json:"millis"`
	Sentence string  `json:"sentence"`
	Remedy   string  `json:"remedy,omitempty"`
}

// ReachPlan is what a device is told to try. It is not part of the API's document.
type ReachPlan struct {
	Service string   `json:"service"`         // changes with each run
	Address string   `json:"address"`         // of whoever asks
	Feed    string   `json:"feed,omitempty"`  // empty when none is live
	HTTP    string   `json:"http,omitempty"`  // address of the service over plain HTTP
	HTTPS   string   `json:"https,omitempty"` // the same over HTTPS; empty when there is none
	Media   string   `json:"media,omitempty"` // path of the feed's media
	Gives   []string `json:"gives"`           // deliveries
	Trials  []string `json:"trials"`
}

// ReachResult is the outcome of one trial as the device reports it.
type ReachResult struct {
	Trial   string  `json:"trial"`
	Outcome string  `json:"outcome"`
	Millis  float64 `json:"millis"`
	Detail  string  `json:"detail,omitempty"`
	Address string  `json:"address,omitempty"` // that the name led to, where it is known
}

// ReachReport is what a device reports.
type ReachReport struct {
	Device  string        `json:"device"`
	Results []ReachResult `json:"results"`
}

// RuleList is the rules that a router was asked for.
type RuleList struct {
	Router  string `json:"router,omitempty" doc:"Address of the router"`
	By      string `json:"by,omitempty" enum:"PCP,NAT-PMP,UPnP" doc:"What it speaks"`
	Outside string `json:"outside,omitempty" doc:"Its address outside, as it says"`
	Note    string `json:"note,omitempty" doc:"What is wrong with that"`
	Rules   []Rule `json:"rules"`
}

// Rule has a router pass a port on.
type Rule struct {
	Protocol string    `json:"protocol" enum:"TCP,UDP"`
	Outside  int       `json:"outside" doc:"Port at the router"`
	Inside   int       `json:"inside" doc:"Port of this machine"`
	For      string    `json:"for"`
	Ends     time.Time `json:"ends" doc:"When it ends unless it is renewed, which happens by itself"`
	Trouble  string    `json:"trouble,omitempty" doc:"Why it is not there"`
}

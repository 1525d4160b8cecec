package demo

import (
	"time"

	"neokinema/server/store"
)

// role is an athlete of the club.
type role struct {
	name               string
	sex                string
	born               int
	height, mass       float64
	front, hand, leaps string // sides
	level              string
	events             []string
	para, aids, notes  string
}

// people are the athletes of the club. Sides and heights are those of the
// simulated athletes in their clips.
var people = []role{
	{"Ilse Marrowby", "woman", 2003, 1.72, 61, "L", "L", "L", "trained", []string{"sprint-start", "long-jump", "pole-vault"}, "", "", "Trains in the morning. Learns by rhythm rather than by pictures."},
	{"Anselm Tarrant-Vey", "man", 2001, 1.80, 74, "R", "R", "R", "trained", []string{"sprint-start", "running"}, "", "", "Spikes a size too large until October."},
	{"Petra Lindoake", "woman", 1999, 1.68, 56, "R", "R", "R", "trained", []string{"running"}, "T38", "splint on the left ankle for the warm-up", "Comes by the late bus on Thursdays."},
	{"Corvin Hask", "man", 1998, 1.86, 108, "L", "R", "L", "elite", []string{"hammer", "weight"}, "", "", ""},
	{"Runa Selwick", "woman", 2007, 1.74, 79, "L", "L", "R", "trained", []string{"hammer"}, "", "", "Left-handed; likes to see the mirror image."},
	{"Bastian Orlo", "man", 1997, 1.89, 112, "R", "L", "R", "trained", []string{"weight", "discus"}, "", "", ""},
	{"Dagny Ferrowe", "woman", 2000, 1.76, 84, "L", "R", "L", "trained", []string{"weight", "hammer"}, "", "", ""},
	{"Maelle Ostrand", "woman", 2001, 1.80, 82, "L", "R", "L", "trained", []string{"discus", "shot-rotational"}, "", "", ""},
	{"Casimir Wrenn", "man", 1996, 1.90, 104, "R", "R", "R", "trained", []string{"shot-glide", "shot-rotational", "high-jump"}, "", "", "Came from the high jump; changes to the rotation."},
	{"Ysolde Penhart", "woman", 2009, 1.77, 70, "L", "L", "L", "youth", []string{"shot-glide", "high-jump"}, "", "", "School until four."},
	{"Liv Aldersby", "woman", 2000, 1.73, 66, "L", "R", "L", "trained", []string{"javelin"}, "", "", ""},
	{"Ruben Stell", "man", 2004, 1.85, 86, "R", "L", "R", "developing", []string{"javelin"}, "", "", "New to the event since spring 2025."},
	{"Caspian Thornekel", "man", 2002, 1.84, 77, "L", "R", "R", "trained", []string{"long-jump", "pole-vault"}, "", "", ""},
}

// person is an athlete of the club by name.
// Everybody's consent to be filmed was noted when the club began.
func person(coach store.Account, name string) store.Athlete {
	for _, p := range people {
		if p.name == name {
			by := "the athlete, on paper"
			if consented.Year()-p.born < 18 {
				by = "a parent, on paper"
			}
			return store.Athlete{ConsentBy: by, ConsentDay: &consented, ID: id(name), ClubID: coach.ClubID, CoachID: coach.ID, Name: name, Sex: p.sex, BirthYear: p.born, HeightM: p.height, MassKg: &p.mass, FrontLeg: p.front, Hand: p.hand, JumpLeg: p.leaps,
				Level: p.level, Events: p.events, Para: p.para, Aids: p.aids, Notes: p.notes}
		}
	}
	panic("the demo has nobody called " + name)
}

// consented is the day of the consents.
var consented = time.Date(2025, 1, 4, 0, 0, 0, 0, time.UTC)

// roster says whose each shipped clip is, and on which day of November 2026 it
// was filmed.
var roster = map[string]struct {
	name string
	day  int
}{
	"start-clean": {"Ilse Marrowby", 17}, "start-open-knee-late-arm": {"Anselm Tarrant-Vey", 20},
	"running-easy": {"Petra Lindoake", 3}, "running-over-stride": {"Anselm Tarrant-Vey", 3},
	"hammer-clean-back": {"Corvin Hask", 5}, "hammer-clean-side": {"Corvin Hask", 5}, "hammer-three-turns": {"Corvin Hask", 5}, "hammer-late-catch": {"Runa Selwick", 5},
	"weight-shoulder-lead": {"Bastian Orlo", 6}, "weight-clean": {"Dagny Ferrowe", 6},
	"discus-clean-back": {"Maelle Ostrand", 9}, "discus-clean-side": {"Maelle Ostrand", 9}, "discus-over-rotated": {"Bastian Orlo", 9},
	"glide-clean": {"Casimir Wrenn", 10}, "glide-early-open": {"Ysolde Penhart", 10}, "rotational-clean": {"Casimir Wrenn", 10}, "rotational-jump-up": {"Maelle Ostrand", 10},
	"javelin-clean": {"Liv Aldersby", 11}, "javelin-soft-block": {"Ruben Stell", 11},
	"long-jump-hitch": {"Caspian Thornekel", 12}, "long-jump-early-drop": {"Ilse Marrowby", 12},
	"high-jump-clean": {"Ysolde Penhart", 12}, "high-jump-straightened": {"Casimir Wrenn", 12},
	"vault-clean": {"Caspian Thornekel", 13}, "vault-under": {"Ilse Marrowby", 13},
}

// phases of the club's two seasons.
var phases = []struct{ name, kind, from, to string }{
	{"Winter 2025", "preparation", "2025-01-06", "2025-03-30"}, {"Spring 2025", "special", "2025-03-31", "2025-05-18"}, {"Summer 2025", "competition", "2025-05-19", "2025-09-14"}, {"Autumn pause 2025", "rest", "2025-09-15", "2025-10-12"},
	{"Winter 2026", "preparation", "2025-10-13", "2026-03-29"}, {"Spring 2026", "special", "2026-03-30", "2026-05-17"}, {"Summer 2026", "competition", "2026-05-18", "2026-09-13"}, {"Autumn pause 2026", "rest", "2026-09-14", "2026-10-11"},
	{"Winter 2027", "preparation", "2026-10-12", "2027-03-28"}, {"Spring 2027", "special", "2027-03-29", "2027-05-16"},
}

func date(s string) time.Time {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		panic(err)
	}
	return t
}

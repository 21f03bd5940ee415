package demo

import (
	"context"

	"pikegate/internal/demo/standin"
	"pikegate/internal/identity"
	"pikegate/internal/service"
	"pikegate/internal/wire"
)

// rules let keepers see what belongs to the locks of their region.
const rules = `kind: rule
name: own-locks
title: Keepers see the locks of their region
source: navigation
on: locks
for: [keepers]
criteria: region in :user.regions
unrestricted: [office, authors]
---
kind: rule
name: own-passages
title: Keepers see what passed the locks of their region
source: navigation
on: passages
for: [keepers]
criteria: locks.region in :user.regions
unrestricted: [office, authors]
---
kind: rule
name: own-jobs
title: Keepers see the maintenance of the locks of their region
source: navigation
on: maintenance_jobs
for: [keepers]
criteria: locks.region in :user.regions
unrestricted: [office, authors]
`

// people are those of the demonstration, the administrator first: the service is closed
// with the first.
var people = []wire.User{
	{Name: "ada", Display: "Ada Lockhart", Role: identity.Administrator, Email: "ada@navigation.example", Groups: []string{"office"}},
	{Name: "cleo", Display: "Cleo Marsh", Email: "cleo@navigation.example", Role: identity.Reader, Groups: []string{"office"}},
	{Name: "kit", Display: "Kit Weir", Email: "kit@navigation.example", Role: identity.Reader, Groups: []string{"keepers"}, Attributes: map[string][]string{"regions": {"Upper Tarn"}}},
	{Name: "dev", Display: "Dev Sluys", Email: "dev@navigation.example", Role: identity.Author, Groups: []string{"authors"}},
}

// standInPeople are those who sign in at the stand-in for an identity provider.
var standInPeople = []standin.Person{
	{Subject: "nell", Claims: map[string]any{"preferred_username": "nell", "name": "Nell Brook", "groups": []string{"keepers"}, "regions": []string{"Wold Cut"}}},
	{Subject: "omar", Claims: map[string]any{"preferred_username": "omar", "name": "Omar Quay", "groups": []string{"office"}}},
}

// StandInPath is where the stand-in answers, beneath the service's own address.
const StandInPath = "/stand-in"

// The client that the service is to the stand-in.
const (
	clientID     = "pikegate"
	clientSecret = "known to everybody: it is a demonstration"
)

// StandIn makes the stand-in for an identity provider, for a service at an address.
func StandIn(address string) (*standin.Provider, identity.ProviderConfig, error) {
	p, err := standin.New(address+StandInPath, clientID, clientSecret, standInPeople...)
	c := identity.ProviderConfig{Issuer: address + StandInPath, ClientID: clientID, ClientSecret: clientSecret, Title: "the stand-in provider"}
	c.Claims.Attributes = map[string]string{"regions": "regions"}
	return p, c, err
}

// InstallPeople publishes the demonstration's row rules, gives its groups their rights
// and makes its users, which closes the service. It gives the links with which they set
// their passwords.
func InstallPeople(ctx context.Context, s *service.Service) ([]wire.Invitation, error) {
	who, err := s.People.Open(ctx, "")
	if err != nil {
		return nil, err
	}
	for name, title := range map[string]string{"office": "The office", "keepers": "Keepers of locks", "authors": "Report developers"} {
		if _, err := s.SaveGroup(ctx, who, wire.Group{Name: name, Title: title}); err != nil {
			return nil, err
		}
	}
	if _, err := s.Push(ctx, who, rules, wire.Keeping{}); err != nil {
		return nil, err
	}
	for _, name := range []string{"own-locks", "own-passages", "own-jobs"} {
		if _, err := s.Publish(ctx, who, name); err != nil {
			return nil, err
		}
	}
	topmost := ""
	for _, g := range []wire.Grant{
		{Folder: &topmost, Right: identity.Run, Group: "office"},
		{Folder: &topmost, Right: identity.Run, Group: "keepers"},
		{Folder: &topmost, Right: identity.Manage, Group: "authors"},
		{Source: Source, Right: identity.SQL, Group: "authors"},
		{Source: service.KeptSource, Right: identity.Read, Group: "authors"},
		{Destination: "folder:*", Right: identity.Deliver, Group: "authors"},
		{Destination: "mail:*", Right: identity.Deliver, Group: "authors"},
		{Destination: "keep", Right: identity.Deliver, Group: "authors"},
	} {
		if err := s.Grant(ctx, who, g); err != nil {
			return nil, err
		}
	}
	made := make([]wire.Invitation, len(people))
	for i, u := range people {
		if made[i], err = s.AddUserHere(ctx, u); err != nil {
			return nil, err
		}
	}
	// The schedules of the demonstration were published by nobody.
	if _, err := s.HandOver(ctx, who, "", "dev"); err != nil {
		return nil, err
	}
	return made, nil
}

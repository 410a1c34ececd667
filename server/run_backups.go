package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/server/worker"
	"roster/store"
)

type newBackupInput struct {
	ID     uuid.UUID `path:"id"`
	Handle string    `path:"handle" maxLength:"64"`
	Body   struct {
		Packages []android.PackageName `json:"packages" minItems:"1" maxItems:"2000" nullable:"false"`
		Settings bool                  `json:"settings" doc:"Save a list of the phone's settings, too"`
		Resume   uuid.UUID             `json:"resume,omitzero" doc:"The backup to go on with"`
	}
}

type restoreInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Packages []android.PackageName `json:"packages" minItems:"1" maxItems:"2000" nullable:"false"`
	}
}

// backupMade names a backup and the job that is about it.
type backupMade struct {
	Backup uuid.UUID `json:"backup"`
	Job    uuid.UUID `json:"job"`
}

type backupMadeOutput struct{ Body backupMade }

// keptBackup is a backup with what came of it.
type keptBackup struct {
	store.Backup
	Result bench.BackupEnd `json:"result"`
	// EndsAt is when the installation's rule deletes it, absent where it does not.
	EndsAt *time.Time `json:"endsAt,omitempty"`
}

type allBackupsInput struct {
	After uuid.UUID `query:"after" doc:"The last one of the page before"`
	Limit int       `query:"limit" minimum:"1" maximum:"200" default:"100"`
}

type keepBackupInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Keep bool `json:"keep"`
	}
}

func (s *Server) backupRoutes() {
	const ofPhone, of = "/api/v1/benches/{id}/phones/{handle}/backups", "/api/v1/backups/{id}"
	route(s, Technician, huma.Operation{
		OperationID: "listBackups", Method: http.MethodGet, Path: ofPhone,
		Summary: "What was saved of a phone's packages, newest first",
	}, s.listBackups)
	route(s, Technician, huma.Operation{
		OperationID: "makeBackup", Method: http.MethodPost, Path: ofPhone, DefaultStatus: http.StatusAccepted,
		Summary: "Save package files on the bench's computer, or go on with that",
	}, s.makeBackup)
	route(s, Technician, huma.Operation{
		OperationID: "verifyBackup", Method: http.MethodPost, Path: of + "/verify", DefaultStatus: http.StatusAccepted,
		Summary: "Check every file of a backup against its size and SHA-256",
	}, s.verifyBackup)
	route(s, Technician, huma.Operation{
		OperationID: "restoreBackup", Method: http.MethodPost, Path: of + "/restore", DefaultStatus: http.StatusAccepted,
		Summary: "Install packages from a backup on the phone that it is of",
	}, s.restoreBackup)
	route(s, Technician, huma.Operation{
		OperationID: "listAllBackups", Method: http.MethodGet, Path: "/api/v1/backups",
		Summary: "What was saved of all phones, with when it ends, newest first",
	}, s.listAllBackups)
	route(s, Technician, huma.Operation{
		OperationID: "keepBackup", Method: http.MethodPost, Path: of + "/keep",
		Summary: "Have a backup stay until somebody says otherwise, or end by the rule again",
	}, s.keepBackup)
	route(s, Technician, huma.Operation{
		OperationID: "deleteBackup", Method: http.MethodDelete, Path: of, DefaultStatus: http.StatusAccepted,
		Summary: "Have its bench delete a backup, for good",
	}, s.deleteBackup)
}

// askOfBench asks the bench of a backup for something that needs no phone.
func (s *Server) askOfBench(ctx context.Context, b store.Backup, kind string) (*backupMadeOutput, error) {
	r := bench.Request{Kind: kind, Backup: b.ID}
	if err := s.canDo(ctx, b.BenchID, r); err != nil {
		return nil, err
	}
	job, err := s.store.AddJob(ctx, personOf(ctx).ID, worker.Ask(b.BenchID, r))
	return &backupMadeOutput{backupMade{b.ID, job}}, err
}

// wanted are packages of a request, as a bench is asked for them.
func wanted(names []android.PackageName) ([]bench.Wanted, error) {
	list := make([]bench.Wanted, len(names))
	for i, name := range names {
		if !name.Valid() {
			return nil, problem(http.StatusUnprocessableEntity, "bad-request", "One of them is not a package name.")
		}
		list[i].Name = name
	}
	return list, nil
}

func (s *Server) verifyBackup(ctx context.Context, in *idInput) (*backupMadeOutput, error) {
	b, err := s.store.BackupByID(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	return s.askOfBench(ctx, b, bench.KindVerify)
}

func (s *Server) keepBackup(ctx context.Context, in *keepBackupInput) (*struct{}, error) {
	if _, err := s.backupOf(ctx, in.ID); err != nil {
		return nil, err
	}
	return nil, s.store.KeepBackup(ctx, in.ID, personOf(ctx).ID, in.Body.Keep)
}

func (s *Server) listBackups(ctx context.Context, in *fitsInput) (*listOutput[keptBackup], error) {
	p, err := s.phoneOn(ctx, in.ID, in.Handle)
	if err != nil {
		return nil, err
	}
	list, err := s.store.Backups(ctx, p.Mark, 50)
	return s.keptBackups(ctx, list, err)
}

func (s *Server) listAllBackups(ctx context.Context, in *allBackupsInput) (*listOutput[keptBackup], error) {
	var after *uuid.UUID
	if in.After != uuid.Nil {
		after = &in.After
	}
	list, err := s.store.AllBackups(ctx, after, in.Limit)
	return s.keptBackups(ctx, list, err)
}

// keptBackups says of backups what came of them, and when they end.
func (s *Server) keptBackups(ctx context.Context, list []store.Backup, err error) (*listOutput[keptBackup], error) {
	if err != nil {
		return nil, err
	}
	rules, _, err := s.store.InstallationRules(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]keptBackup, len(list))
	for i, b := range list {
		out[i].Backup, out[i].EndsAt = b, b.Ends(rules.BackupDays)
		if err := json.Unmarshal(b.Result, &out[i].Result); err != nil {
			return nil, err
		}
		if out[i].Result.Wrong == nil {
			out[i].Result.Wrong = []bench.Faulty{}
		}
	}
	return listOf(out, nil)
}

func (s *Server) makeBackup(ctx context.Context, in *newBackupInput) (*backupMadeOutput, error) {
	r := bench.Request{Kind: bench.KindBackup, Phone: in.Handle, Settings: in.Body.Settings, Backup: in.Body.Resume}
	if err := s.canDo(ctx, in.ID, r); err != nil {
		return nil, err
	}
	p, err := s.phoneOn(ctx, in.ID, in.Handle)
	if err != nil {
		return nil, err
	}
	if r.Wanted, err = wanted(in.Body.Packages); err != nil {
		return nil, err
	}
	names := make([]string, len(r.Wanted))
	for i, w := range r.Wanted {
		names[i] = string(w.Name)
	}
	r.With = p.Fingerprint
	person := personOf(ctx).ID
	if r.Backup == uuid.Nil {
		made := store.Backup{Phone: p.Mark, PhoneName: p.Name, BenchID: in.ID, Packages: names, Settings: in.Body.Settings}
		backup, job, err := s.store.AddBackup(ctx, made, person, func(id uuid.UUID) store.Ask {
			r.Backup = id
			return worker.Ask(in.ID, r)
		})
		return &backupMadeOutput{backupMade{backup, job}}, err
	}
	b, err := s.store.BackupByID(ctx, r.Backup)
	if err != nil {
		return nil, err
	}
	if b.BenchID != in.ID || b.Phone != p.Mark {
		return nil, problem(http.StatusConflict, "another-phone", "That backup is of another phone, or lies on another bench.")
	}
	job, err := s.store.AddJob(ctx, person, worker.Ask(in.ID, r))
	return &backupMadeOutput{backupMade{r.Backup, job}}, err
}

func (s *Server) restoreBackup(ctx context.Context, in *restoreInput) (*backupMadeOutput, error) {
	b, err := s.store.BackupByID(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	here, err := s.whereIs(ctx, b.Phone)
	if err != nil {
		return nil, err
	}
	if here.Bench != b.BenchID {
		return nil, problem(http.StatusConflict, "another-bench", "The backup lies on "+b.Bench+": attach the phone there.")
	}
	r := bench.Request{Kind: bench.KindRestore, Phone: here.Handle, Backup: b.ID}
	if r.Wanted, err = wanted(in.Body.Packages); err != nil {
		return nil, err
	}
	job, err := s.store.AddJob(ctx, personOf(ctx).ID, worker.Ask(here.Bench, r))
	return &backupMadeOutput{backupMade{b.ID, job}}, err
}

// backupOf is a backup that the person may decide about: their own, or for
// maintainers anybody's.
func (s *Server) backupOf(ctx context.Context, id uuid.UUID) (store.Backup, error) {
	b, err := s.store.BackupByID(ctx, id)
	if p := personOf(ctx); err == nil && b.PersonID != p.ID && !Maintainer.Allows(p.Role) {
		err = problem(http.StatusForbidden, "refused", "Only "+b.Person+", who made it, and maintainers decide what becomes of a backup.")
	}
	return b, err
}

// deleteBackup asks the bench of a backup to delete it. One that a run may still
// need stays.
func (s *Server) deleteBackup(ctx context.Context, in *idInput) (*backupMadeOutput, error) {
	b, err := s.backupOf(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	switch {
	case b.OpenRun != 0:
		return nil, needed(fmt.Sprintf("run %d of this phone is open, and may need it. Continue it or put it back first.", b.OpenRun))
	case b.Kept:
		return nil, needed("somebody marked it to be kept. Take that back first.")
	case b.State == "going":
		return nil, needed("it is still being made.")
	}
	return s.askOfBench(ctx, b, bench.KindDiscard)
}

// needed says why a backup was not deleted.
func needed(why string) error {
	return problem(http.StatusConflict, "needed", "Nothing was deleted: "+why)
}

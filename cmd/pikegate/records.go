package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"pikegate/internal/config"
	"pikegate/internal/identity"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// keyCheck is the setting by which another key is noticed.
const keyCheck = "key-check"

// openRecords opens the service's own records in a data folder, with the
// installation's key.
func openRecords(ctx context.Context, data string) (*store.Store, *identity.Vault, error) {
	key, file, err := config.Key(data, identity.NewKey)
	if err != nil {
		return nil, nil, err
	}
	vault, err := identity.NewVault(key)
	if err != nil {
		return nil, nil, err
	}
	log, err := vault.Derived("audit log")
	if err != nil {
		return nil, nil, err
	}
	check, err := vault.Derived("check")
	if err != nil {
		return nil, nil, err
	}
	kept, err := store.Open(filepath.Join(data, "pikegate.db"), log)
	if err != nil {
		return nil, nil, err
	}
	known, err := kept.Setting(ctx, keyCheck)
	switch {
	case err == nil && known == nil:
		err = kept.KeepSetting(ctx, keyCheck, check)
	case err == nil && !bytes.Equal(known, check):
		err = fmt.Errorf("the key in %s is not the one that the records in %s were written with; put that back, or name it in PIKEGATE_KEY_FILE", file, data)
	}
	if err != nil {
		return nil, nil, errors.Join(err, kept.Close())
	}
	return kept, vault, nil
}

// atTheMachine makes or recovers a user in the files of a data folder, whether a
// service runs on them or not.
func atTheMachine(ctx context.Context, data string, add *wire.User, recover string) (made wire.Invitation, err error) {
	if err := os.MkdirAll(data, 0o700); err != nil {
		return made, err
	}
	kept, vault, err := openRecords(ctx, data)
	if err != nil {
		return made, err
	}
	defer func() { err = errors.Join(err, kept.Close()) }()
	people := identity.NewKeeper(kept, vault, time.Now, slog.New(slog.DiscardHandler))
	s := &service.Service{Config: service.Config{Store: kept, Now: time.Now}, People: people}
	if add != nil {
		return s.AddUserHere(ctx, *add)
	}
	return s.RecoverHere(ctx, recover)
}

package farm

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"
	"willowherb/core/bake"
	"willowherb/format/lightmap"
)

// keeper keeps layers in the database, by their keys and the kind of processor: bake.Keeper.
type keeper struct{ f *Farm }

func (k keeper) Layer(ctx context.Context, key string) (l bake.Layer, ok bool, err error) {
	data, ok, err := k.Data(ctx, key)
	if !ok || err != nil {
		return l, false, err
	}
	if l, err = lightmap.Unpack(data); err != nil {
		return l, false, nil // it is made again
	}
	return l, true, nil
}

func (k keeper) Keep(ctx context.Context, key string, l bake.Layer) error {
	return k.KeepData(ctx, key, lightmap.Pack(l))
}

// Data is for bake.Keeper.
func (k keeper) Data(ctx context.Context, key string) (data []byte, ok bool, err error) {
	err = k.f.db.Do(ctx, func(ctx context.Context) error {
		return k.f.db.Pool.QueryRow(ctx, "SELECT data FROM bake_layers WHERE key = $1", key).Scan(&data)
	})
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// KeepData is for bake.Keeper.
func (k keeper) KeepData(ctx context.Context, key string, data []byte) error {
	return k.f.db.Tx(ctx, func(tx pgx.Tx) error { return keep(ctx, tx, key, data) })
}

func keep(ctx context.Context, tx pgx.Tx, key string, data []byte) error {
	_, err := tx.Exec(ctx, "INSERT INTO bake_layers (key, data) VALUES ($1, $2) ON CONFLICT (key) DO UPDATE SET data = excluded.data, used = now()", key, data)
	return err
}

// lacks are those of the keys that are not kept; the others are marked as used.
func (f *Farm) lacks(ctx context.Context, keys []string) (map[string]bool, error) {
	out := map[string]bool{}
	for _, k := range keys {
		out[k] = true
	}
	err := f.db.Do(ctx, func(ctx context.Context) error {
		rows, err := f.db.Pool.Query(ctx, "UPDATE bake_layers SET used = now() WHERE key = ANY($1) RETURNING key", keys)
		if err != nil {
			return err
		}
		have, err := pgx.CollectRows(rows, pgx.RowTo[string])
		for _, k := range have {
			delete(out, k)
		}
		return err
	})
	return out, err
}

// Sweep forgets bakes that are over and not the last of their setup, and layers that no bake
// needs and none has used for two weeks.
func (f *Farm) Sweep(ctx context.Context) error {
	return f.db.Do(ctx, func(ctx context.Context) error {
		_, err := f.db.Pool.Exec(ctx, `DELETE FROM bakes b WHERE state IN ('stopped', 'failed', 'done') AND asked < now() - interval '1 day'
			AND EXISTS (SELECT 1 FROM bakes o WHERE o.setup = b.setup AND o.state = 'done' AND o.id > b.id)`)
		if err != nil {
			return err
		}
		_, err = f.db.Pool.Exec(ctx, `DELETE FROM bake_layers WHERE used < now() - interval '14 days'
			AND key NOT IN (SELECT unnest(layers) FROM bakes WHERE state NOT IN ('stopped', 'failed'))
			AND key NOT IN (SELECT key FROM final_pieces p JOIN finals o ON o.id = p.final WHERE o.state NOT IN ('stopped', 'failed', 'done'))`)
		return err
	})
}

// Package stagetest makes a small place for tests: a floor of two triangles with two
// lamps over it and two views, "a" and "b".
package stagetest

import (
	"bytes"
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/core/exchange"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/format/gltf"
)

// Floor keeps the place in blobs and returns its hash and a setup of it.
func Floor(t testing.TB, blobs blob.Store) (hash string, doc *setup.Setup) {
	up := vec.V3{Y: 1}
	m := &gltf.Model{Materials: []gltf.ModelMaterial{{Name: "floor", BaseColor: [4]float64{0.5, 0.5, 0.5, 1}, Roughness: 1}}}
	m.Nodes = []gltf.ModelNode{{Name: "floor", Parts: []gltf.ModelPart{{Pos: []vec.V3{{X: -5, Z: 5}, {X: 5, Z: 5}, {X: 5, Z: -5}, {X: -5, Z: -5}}, Nrm: []vec.V3{up, up, up, up}, UV: make([]vec.V2, 4), Index: []uint32{0, 1, 2, 0, 2, 3}}}}}
	m.Cameras = []scene.Camera{{Name: "A", Eye: vec.V3{Y: 4, Z: 4}, Aim: vec.V3{Y: -1, Z: -1}, Up: up, FovY: 0.8, Aspect: 1}, {Name: "B", Eye: vec.V3{Y: 6, Z: 1}, Aim: vec.V3{Y: -1, Z: -0.1}, Up: up, FovY: 0.8, Aspect: 1}}
	glb, err := gltf.Write(m)
	require.NoError(t, err)
	hash, err = blobs.Put(context.Background(), blob.Place, bytes.NewReader(glb))
	require.NoError(t, err)
	place, err := gltf.Read(context.Background(), "floor.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	doc, _ = exchange.FromScene(place, "console-60")
	doc.Lights = map[string]setup.Light{}
	for i, id := range []string{"one", "two"} {
		doc.Lights[id] = setup.Light{Name: id, Kind: setup.Point, Output: 500, Colour: setup.Colour{Kelvin: 3000}, Position: [3]float64{float64(2*i - 1), 2, 0}, Shadow: true, ShadowMap: 512, Carry: setup.Live, Channels: 0xff, Range: 9}
	}
	require.NoError(t, doc.Validate())
	return hash, doc
}

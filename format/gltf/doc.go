// Package gltf reads glTF 2.0 places (GLB, or JSON with embedded or side files)
// into scene.Scene, and writes GLB. Units are glTF's: metres, candela, lux.
//
// Read: nodes with transforms; indexed and plain triangles, strips and fans;
// positions, normals (made where missing), two UV sets, vertex colours;
// metallic-roughness materials with their textures (PNG, JPEG, WebP); alpha
// modes; cameras; KHR_lights_punctual, KHR_materials_emissive_strength,
// KHR_materials_specular, KHR_materials_ior, KHR_materials_transmission,
// KHR_texture_transform, EXT_texture_webp. An extension that a file requires and
// that is not in this list is an error; one that it merely uses is a warning.
//
// Limits are checked before memory is taken. Errors name the file, the JSON
// path and the remedy. A side file is read only from beside the given one.
package gltf

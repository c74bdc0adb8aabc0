package gltf

import "encoding/json"

type document struct {
	Asset struct {
		Version    string `json:"version"`
		MinVersion string `json:"minVersion,omitempty"`
		Generator  string `json:"generator,omitempty"`
	} `json:"asset"`
	Scene              *int         `json:"scene,omitempty"`
	Scenes             []jsonScene  `json:"scenes,omitempty"`
	Nodes              []node       `json:"nodes,omitempty"`
	Meshes             []mesh       `json:"meshes,omitempty"`
	Accessors          []accessor   `json:"accessors,omitempty"`
	BufferViews        []bufferView `json:"bufferViews,omitempty"`
	Buffers            []buffer     `json:"buffers,omitempty"`
	Materials          []material   `json:"materials,omitempty"`
	Textures           []texture    `json:"textures,omitempty"`
	Images             []image      `json:"images,omitempty"`
	Samplers           []sampler    `json:"samplers,omitempty"`
	Cameras            []camera     `json:"cameras,omitempty"`
	Animations         []animation  `json:"animations,omitempty"`
	Skins              []any        `json:"skins,omitempty"`
	ExtensionsUsed     []string     `json:"extensionsUsed,omitempty"`
	ExtensionsRequired []string     `json:"extensionsRequired,omitempty"`
	Extensions         struct {
		Lights *struct {
			Lights []punctual `json:"lights"`
		} `json:"KHR_lights_punctual,omitempty"`
	} `json:"extensions,omitzero"`
}

type jsonScene struct {
	Name  string `json:"name,omitempty"`
	Nodes []int  `json:"nodes,omitempty"`
}

type node struct {
	Name        string    `json:"name,omitempty"`
	Children    []int     `json:"children,omitempty"`
	Mesh        *int      `json:"mesh,omitempty"`
	Camera      *int      `json:"camera,omitempty"`
	Matrix      []float64 `json:"matrix,omitempty"`
	Translation []float64 `json:"translation,omitempty"`
	Rotation    []float64 `json:"rotation,omitempty"`
	Scale       []float64 `json:"scale,omitempty"`
	Weights     []float64 `json:"weights,omitempty"`
	Extensions  struct {
		Light *struct {
			Light int `json:"light"`
		} `json:"KHR_lights_punctual,omitempty"`
		Instancing *struct {
			Attributes map[string]int `json:"attributes"`
		} `json:"EXT_mesh_gpu_instancing,omitempty"`
	} `json:"extensions,omitzero"`
	Extras json.RawMessage `json:"extras,omitempty"`
}

type mesh struct {
	Name       string      `json:"name,omitempty"`
	Primitives []primitive `json:"primitives"`
	Weights    []float64   `json:"weights,omitempty"`
}

type primitive struct {
	Attributes map[string]int   `json:"attributes"`
	Indices    *int             `json:"indices,omitempty"`
	Material   *int             `json:"material,omitempty"`
	Mode       *int             `json:"mode,omitempty"`
	Targets    []map[string]int `json:"targets,omitempty"`
	Extras     json.RawMessage  `json:"extras,omitempty"`
}

type accessor struct {
	BufferView    *int      `json:"bufferView,omitempty"`
	ByteOffset    int64     `json:"byteOffset,omitempty"`
	ComponentType int       `json:"componentType"`
	Normalized    bool      `json:"normalized,omitempty"`
	Count         int64     `json:"count"`
	Type          string    `json:"type"`
	Min           []float64 `json:"min,omitempty"`
	Max           []float64 `json:"max,omitempty"`
	Sparse        *sparse   `json:"sparse,omitempty"`
}

// sparse says where an accessor differs from its buffer view, or from zero.
type sparse struct {
	Count   int64 `json:"count"`
	Indices struct {
		BufferView    int   `json:"bufferView"`
		ByteOffset    int64 `json:"byteOffset,omitempty"`
		ComponentType int   `json:"componentType"`
	} `json:"indices"`
	Values struct {
		BufferView int   `json:"bufferView"`
		ByteOffset int64 `json:"byteOffset,omitempty"`
	} `json:"values"`
}

type bufferView struct {
	Buffer     int   `json:"buffer"`
	ByteOffset int64 `json:"byteOffset,omitempty"`
	ByteLength int64 `json:"byteLength"`
	ByteStride int64 `json:"byteStride,omitempty"`
	Target     int   `json:"target,omitempty"`
}

type buffer struct {
	ByteLength int64  `json:"byteLength"`
	URI        string `json:"uri,omitempty"`
}

type textureInfo struct {
	Index      int      `json:"index"`
	TexCoord   int      `json:"texCoord,omitempty"`
	Scale      *float64 `json:"scale,omitempty"`
	Strength   *float64 `json:"strength,omitempty"`
	Extensions struct {
		Transform *textureTransform `json:"KHR_texture_transform,omitempty"`
	} `json:"extensions,omitzero"`
}

type textureTransform struct {
	Offset   []float64 `json:"offset,omitempty"`
	Rotation float64   `json:"rotation,omitempty"`
	Scale    []float64 `json:"scale,omitempty"`
	TexCoord *int      `json:"texCoord,omitempty"`
}

type material struct {
	Name string `json:"name,omitempty"`
	PBR  struct {
		BaseColor     []float64    `json:"baseColorFactor,omitempty"`
		BaseTex       *textureInfo `json:"baseColorTexture,omitempty"`
		Metallic      *float64     `json:"metallicFactor,omitempty"`
		Roughness     *float64     `json:"roughnessFactor,omitempty"`
		MetalRoughTex *textureInfo `json:"metallicRoughnessTexture,omitempty"`
	} `json:"pbrMetallicRoughness,omitzero"`
	NormalTex    *textureInfo `json:"normalTexture,omitempty"`
	OcclusionTex *textureInfo `json:"occlusionTexture,omitempty"`
	EmissiveTex  *textureInfo `json:"emissiveTexture,omitempty"`
	Emissive     []float64    `json:"emissiveFactor,omitempty"`
	AlphaMode    string       `json:"alphaMode,omitempty"`
	AlphaCutoff  *float64     `json:"alphaCutoff,omitempty"`
	DoubleSided  bool         `json:"doubleSided,omitempty"`
	Extensions   struct {
		Strength *struct {
			Strength *float64 `json:"emissiveStrength,omitempty"`
		} `json:"KHR_materials_emissive_strength,omitempty"`
		Specular *struct {
			Factor   *float64     `json:"specularFactor,omitempty"`
			Color    []float64    `json:"specularColorFactor,omitempty"`
			Tex      *textureInfo `json:"specularTexture,omitempty"`
			ColorTex *textureInfo `json:"specularColorTexture,omitempty"`
		} `json:"KHR_materials_specular,omitempty"`
		IOR *struct {
			IOR *float64 `json:"ior,omitempty"`
		} `json:"KHR_materials_ior,omitempty"`
		Transmission *struct {
			Factor *float64     `json:"transmissionFactor,omitempty"`
			Tex    *textureInfo `json:"transmissionTexture,omitempty"`
		} `json:"KHR_materials_transmission,omitempty"`
		Unlit *struct{} `json:"KHR_materials_unlit,omitempty"`
	} `json:"extensions,omitzero"`
}

type texture struct {
	Sampler    *int `json:"sampler,omitempty"`
	Source     *int `json:"source,omitempty"`
	Extensions struct {
		WebP *struct {
			Source *int `json:"source,omitempty"`
		} `json:"EXT_texture_webp,omitempty"`
	} `json:"extensions,omitzero"`
}

type image struct {
	Name       string `json:"name,omitempty"`
	URI        string `json:"uri,omitempty"`
	BufferView *int   `json:"bufferView,omitempty"`
	MimeType   string `json:"mimeType,omitempty"`
}

type sampler struct {
	MagFilter int `json:"magFilter,omitempty"`
	MinFilter int `json:"minFilter,omitempty"`
	WrapS     int `json:"wrapS,omitempty"`
	WrapT     int `json:"wrapT,omitempty"`
}

type camera struct {
	Name        string `json:"name,omitempty"`
	Type        string `json:"type"`
	Perspective *struct {
		AspectRatio float64  `json:"aspectRatio,omitempty"`
		YFov        float64  `json:"yfov"`
		ZNear       float64  `json:"znear"`
		ZFar        *float64 `json:"zfar,omitempty"`
	} `json:"perspective,omitempty"`
}

type punctual struct {
	Name      string    `json:"name,omitempty"`
	Type      string    `json:"type"`
	Color     []float64 `json:"color,omitempty"`
	Intensity *float64  `json:"intensity,omitempty"`
	Range     *float64  `json:"range,omitempty"`
	Spot      *struct {
		Inner *float64 `json:"innerConeAngle,omitempty"`
		Outer *float64 `json:"outerConeAngle,omitempty"`
	} `json:"spot,omitempty"`
	Extras map[string]any `json:"extras,omitempty"`
}

type animation struct {
	Name     string             `json:"name,omitempty"`
	Channels []animationChannel `json:"channels"`
	Samplers []animationSampler `json:"samplers"`
}

type animationChannel struct {
	Sampler int `json:"sampler"`
	Target  struct {
		Node *int   `json:"node,omitempty"`
		Path string `json:"path"`
	} `json:"target"`
}

type animationSampler struct {
	Input         int    `json:"input"`
	Output        int    `json:"output"`
	Interpolation string `json:"interpolation,omitempty"`
}

// Works out the reference values that the tests of core/mesh compare with, by
// general libraries: three (areas, boxes), manifold-3d (volumes, hulls, unions).
// Run it from the repository's top: node core/mesh/testdata/reference/reference.mjs
// It writes reference.json, teapot.obj.gz and knots.3mf beside itself.
//
// The meshes: the bunny of npm's "bunny" (public domain) and the teapot of npm's
// "utah-teapot" (ISC), which is open and has doubled seams.
import { readFileSync, writeFileSync } from 'node:fs'
import { gzipSync } from 'node:zlib'
import { createRequire } from 'node:module'
import * as THREE from 'three'
import { OBJLoader } from 'three/examples/jsm/loaders/OBJLoader.js'
import { STLLoader } from 'three/examples/jsm/loaders/STLLoader.js'
import { mergeVertices } from 'three/examples/jsm/utils/BufferGeometryUtils.js'
import { strToU8, zipSync } from 'fflate'
import Module from 'manifold-3d'

const here = new URL('.', import.meta.url).pathname
const wasm = await Module()
wasm.setup()
const { Manifold, Mesh } = wasm

function facts(geometry) {
	const position = geometry.getAttribute('position')
	const a = new THREE.Vector3(), b = new THREE.Vector3(), c = new THREE.Vector3()
	const triangle = new THREE.Triangle()
	let area = 0
	for (let i = 0; i < position.count; i += 3) {
		triangle.set(a.fromBufferAttribute(position, i), b.fromBufferAttribute(position, i + 1), c.fromBufferAttribute(position, i + 2))
		area += triangle.getArea()
	}
	geometry.computeBoundingBox()
	const points = []
	for (let i = 0; i < position.count; i++) points.push([position.getX(i), position.getY(i), position.getZ(i)])
	const hull = Manifold.hull(points)
	return {
		triangles: position.count / 3, area_mm2: area,
		size_mm: geometry.boundingBox.getSize(new THREE.Vector3()).toArray(),
		hull_mm3: hull.volume(), hull_mm2: hull.surfaceArea(),
	}
}

function solid(geometry) {
	const bare = new THREE.BufferGeometry()
	bare.setAttribute('position', geometry.getAttribute('position'))
	const welded = mergeVertices(bare, 1e-6)
	return new Manifold(new Mesh({ numProp: 3, vertProperties: new Float32Array(welded.getAttribute('position').array), triVerts: new Uint32Array(welded.getIndex().array) }))
}

const stl = readFileSync(here + '../bunny.stl')
const bunny = new STLLoader().parse(stl.buffer.slice(stl.byteOffset, stl.byteOffset + stl.byteLength))
const require = createRequire(import.meta.url)
const teapotText = readFileSync(require.resolve('utah-teapot').replace(/index\.js$/, 'teapot.obj'), 'utf8')
writeFileSync(here + 'teapot.obj.gz', gzipSync(teapotText, { level: 9 }))
const teapot = new OBJLoader().parse(teapotText).children[0].geometry

const body = solid(bunny)
const out = { bunny: { ...facts(bunny), volume_mm3: body.volume(), genus: body.genus() }, teapot: facts(teapot), unions: [] }
for (const shift of [[3, 0, 0], [0, 4, 2], [1, 1, 1]]) {
	const both = body.add(body.translate(shift))
	out.unions.push({ shift, volume_mm3: both.volume() })
}
// Sections of the bunny, as they stand at heights above its lowest point.
const low = bunny.boundingBox.min.z
out.slices = [0.2, 1.3, 2.9, 4.1, 5.7, 7.2].map((z) => {
	const cut = body.slice(low + z)
	return { z_mm: z, area_mm2: cut.area(), contours: cut.numContour() }
})
// Halves: the volume on either side of a plane n·p = d, the part n·p > d first.
out.halves = [[0, 0, 1, 1.5], [1, 0, 0, 0.3], [0.48, 0.6, 0.64, 2.1]].map(([x, y, z, d]) => {
	const [above, under] = body.splitByPlane([x, y, z], d)
	return { plane: [x, y, z, d], above_mm3: above.volume(), under_mm3: under.volume() }
})
writeFileSync(here + 'reference.json', JSON.stringify(out, null, '\t') + '\n')

// A 3MF of three's shapes, written by hand after the core specification: an object of
// components, one of them turned, and two items on the build, in inches.
const object = (id, name, g) => {
	const bare = new THREE.BufferGeometry()
	bare.setAttribute('position', g.getAttribute('position'))
	bare.setIndex(g.getIndex())
	const w = mergeVertices(bare, 1e-6), p = w.getAttribute('position'), i = w.getIndex()
	let text = `<object id="${id}" type="model" name="${name}"><mesh><vertices>`
	for (let k = 0; k < p.count; k++) text += `<vertex x="${p.getX(k)}" y="${p.getY(k)}" z="${p.getZ(k)}"/>`
	text += '</vertices><triangles>'
	for (let k = 0; k < i.count; k += 3) text += `<triangle v1="${i.getX(k)}" v2="${i.getX(k + 1)}" v3="${i.getX(k + 2)}"/>`
	return text + '</triangles></mesh></object>'
}
const model = `<?xml version="1.0" encoding="UTF-8"?>
<model unit="inch" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>
${object(1, 'knot', new THREE.TorusKnotGeometry(1, 0.3, 40, 8))}
${object(2, 'ball', new THREE.IcosahedronGeometry(0.5, 2))}
<object id="3" type="model" name="pair"><components><component objectid="1"/><component objectid="2" transform="0 1 0 -1 0 0 0 0 1 3 0 0"/></components></object>
</resources><build><item objectid="3" transform="1 0 0 0 1 0 0 0 1 0 0 2"/><item objectid="2" transform="2 0 0 0 2 0 0 0 2 0 5 0"/></build></model>`
const types = '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
const rels = '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/knots.model" Id="r1" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>'
writeFileSync(here + 'knots.3mf', zipSync({ '[Content_Types].xml': strToU8(types), '_rels/.rels': strToU8(rels), '3D/knots.model': strToU8(model) }, { mtime: '2026-01-01' }))

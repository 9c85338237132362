// Reads a 3MF with three's loader and prints what it found: for every mesh on the
// build its name, triangles, box and signed volume, as JSON.
import { readFileSync } from 'node:fs'
import { DOMParser } from 'linkedom'
import * as THREE from 'three'
import { ThreeMFLoader } from 'three/examples/jsm/loaders/3MFLoader.js'

globalThis.DOMParser = DOMParser
const bytes = readFileSync(process.argv[2])
const group = new ThreeMFLoader().parse(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength))
group.updateMatrixWorld(true)
const out = []
group.traverse((o) => {
	if (!o.isMesh) return
	const g = (o.geometry.index ? o.geometry.toNonIndexed() : o.geometry.clone()).applyMatrix4(o.matrixWorld)
	const p = g.getAttribute('position')
	const at = (i) => new THREE.Vector3().fromBufferAttribute(p, i)
	let volume = 0
	for (let i = 0; i < p.count; i += 3) volume += at(i).dot(at(i + 1).cross(at(i + 2))) / 6
	g.computeBoundingBox()
	out.push({ name: o.name || o.parent?.name, triangles: p.count / 3, min: g.boundingBox.min.toArray(), max: g.boundingBox.max.toArray(), volume })
})
console.log(JSON.stringify(out))

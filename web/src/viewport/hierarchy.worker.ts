/** Builds the ray-casting hierarchy away from the page's thread. */

import { BufferAttribute, BufferGeometry } from "three";
import { MeshBVH } from "three-mesh-bvh";

export interface HierarchyRequest {
  positions: Float32Array;
  triangles: Uint32Array;
}

self.onmessage = (event: MessageEvent<HierarchyRequest>) => {
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(event.data.positions, 3));
  geometry.setIndex(new BufferAttribute(event.data.triangles, 1));
  const bvh = new MeshBVH(geometry, { indirect: true });
  self.postMessage(MeshBVH.serialize(bvh, { cloneBuffers: false }));
};

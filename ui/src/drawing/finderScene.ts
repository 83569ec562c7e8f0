import {
  AmbientLight,
  BoxGeometry,
  BufferGeometry,
  Color,
  ConeGeometry,
  CylinderGeometry,
  DirectionalLight,
  EdgesGeometry,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Mesh,
  MeshLambertMaterial,
  PerspectiveCamera,
  PlaneGeometry,
  PointLight,
  Scene,
  SphereGeometry,
  Vector3,
  WebGLRenderer,
} from "three";
import type { ShotView, View } from "../api/client";

const at = (v: readonly number[]): Vector3 => new Vector3(v[0] ?? 0, v[1] ?? 0, v[2] ?? 0);

// The set as simple solids, seen from a pose that the core computed.
export class FinderScene {
  private readonly renderer: WebGLRenderer;
  private readonly camera = new PerspectiveCamera(30, 16 / 9, 0.02, 60);
  private scene = new Scene();
  private subject = new Vector3();

  private size = "";
  private readonly pixel = new Uint8Array(4);

  constructor(
    canvas: OffscreenCanvas,
    set: ShotView["set"],
    private readonly ratio: number,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true });
    this.build(set);
  }

  build(set: ShotView["set"]): void {
    this.scene = new Scene();
    this.scene.background = new Color("#2e4054");
    this.subject = at(set.subject_m);
    this.scene.add(new AmbientLight("#cfd8e6", 1.5));
    const sun = new DirectionalLight("#ffe7bf", 1.8);
    sun.position.set(-2, -1.5, 3);
    const glow = new PointLight("#ffcf70", 1.2, 2.2);
    glow.position.copy(this.subject);
    this.scene.add(sun, glow);
    const floor = new Mesh(
      new PlaneGeometry(14, 14),
      new MeshLambertMaterial({ color: "#4b5547" }),
    );
    floor.position.set(0.8, 3, 0);
    this.scene.add(floor);
    for (const s of set.solids) this.scene.add(...solid(s));
  }

  // Draws, at a part of the full resolution where scale is below 1, waits for the
  // picture and tells where the subject stands in it, in pixels of the page.
  draw(
    v: View,
    width: number,
    height: number,
    scale: number,
  ): { x: number; y: number; size: number } | null {
    const size = `${width} ${height} ${scale}`;
    if (size !== this.size) {
      this.size = size;
      this.renderer.setPixelRatio(this.ratio * scale);
      this.renderer.setSize(width, height, false);
    }
    this.camera.aspect = width / height;
    this.camera.fov = v.field_deg[1] ?? 25;
    this.camera.updateProjectionMatrix();
    const m = new Matrix4().makeBasis(at(v.right), at(v.up), at(v.forward).negate());
    this.camera.quaternion.setFromRotationMatrix(m);
    this.camera.position.copy(at(v.pupil_m));
    this.camera.updateMatrixWorld();
    this.renderer.render(this.scene, this.camera);
    const gl = this.renderer.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, this.pixel);
    const p = this.subject.clone().project(this.camera);
    if (p.z > 1 || Math.abs(p.x) > 1 || Math.abs(p.y) > 1) return null;
    const away = this.subject.distanceTo(this.camera.position);
    return {
      x: ((p.x + 1) / 2) * width,
      y: ((1 - p.y) / 2) * height,
      size: Math.max(
        12,
        (0.075 / away) * (height / 2 / Math.tan((this.camera.fov * Math.PI) / 360)),
      ),
    };
  }
}

function solid(s: ShotView["set"]["solids"][number]): (Mesh | LineSegments)[] {
  const [x, y, z] = [s.size_m[0] ?? 0, s.size_m[1] ?? 0, s.size_m[2] ?? 0];
  let g: BufferGeometry;
  switch (s.shape) {
    case "cylinder":
      g = new CylinderGeometry(x / 2, x / 2, z, 28).rotateX(Math.PI / 2);
      break;
    case "cone":
      g = new ConeGeometry(x / 2, z, 28).rotateX(Math.PI / 2);
      break;
    case "ball":
      g = new SphereGeometry(x / 2, 24, 16);
      break;
    default:
      g = new BoxGeometry(x, y, z);
  }
  const bright = /lamp globe|lantern room/.test(s.name);
  const mesh = new Mesh(
    g,
    new MeshLambertMaterial({
      color: s.colour,
      emissive: bright ? s.colour : "#000000",
      emissiveIntensity: bright ? 0.6 : 0,
    }),
  );
  mesh.position.copy(at(s.centre_m));
  if (s.shape !== "box") return [mesh];
  const edge = new LineSegments(
    new EdgesGeometry(g),
    new LineBasicMaterial({ color: "#1a1f24", transparent: true, opacity: 0.45 }),
  );
  edge.position.copy(mesh.position);
  return [mesh, edge];
}

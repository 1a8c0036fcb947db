/** Endings of what the engine reads; systems that know no type for one go by it. */
export const PICTURE_FILES = ".png,.jpg,.jpeg,.webp,.tif,.tiff,.tga,.bmp";
export const MODEL_FILES = `.glb,.gltf,.obj,.mtl,.ply,.stl,.zip,.bin,${PICTURE_FILES}`;

const hasEnding = (name: string, endings: string): boolean => endings.split(",").some((ending) => name.toLowerCase().endsWith(ending));

/** What a model or its pictures may be kept in. */
export const isModelFile = (name: string): boolean => hasEnding(name, MODEL_FILES);

/** Where files lie in a folder that was dropped. */
const paths = new WeakMap<File, string>();

export const setPath = (file: File, path: string): void => void paths.set(file, path);

export const pathOf = (file: File): string => paths.get(file) ?? file.name;

/** By its type or, as systems know none for some, by its ending. */
export const isPicture = ({ type, name }: File): boolean => type.startsWith("image/") || hasEnding(name, PICTURE_FILES);

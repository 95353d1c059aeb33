import "@fontsource-variable/atkinson-hyperlegible-mono"
import "@fontsource-variable/atkinson-hyperlegible-next"
import "katex/dist/katex.min.css"

import { ChakraProvider } from "@chakra-ui/react"
import { QueryClient, QueryClientProvider } from "@tanstack/react-query"
import { StrictMode } from "react"
import { createRoot } from "react-dom/client"
import { BrowserRouter, Route, Routes } from "react-router"

import { retry, retryDelay } from "./api/client"
import { Bench } from "./bench/Bench"
import { Book } from "./book/Book"
import { Designs } from "./designs/Designs"
import { Bus } from "./tools/Bus"
import { Mains } from "./tools/Mains"
import { Shelf } from "./shelf/Shelf"
import { applyMode, presentMode, system } from "./theme"
import { Nowhere } from "./ui/Page"

applyMode(presentMode())

const queries = new QueryClient({ defaultOptions: { queries: { retry, retryDelay, staleTime: 30_000, refetchOnWindowFocus: false } } })

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <ChakraProvider value={system}>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <Routes>
            <Route path="/" element={<Designs />} />
            <Route path="/design/:id" element={<Bench />} />
            <Route path="/shelf" element={<Shelf />} />
            <Route path="/precharge" element={<Bus />} />
            <Route path="/mains" element={<Mains />} />
            <Route path="/book" element={<Book />} />
            <Route path="*" element={<Nowhere />} />
          </Routes>
        </BrowserRouter>
      </QueryClientProvider>
    </ChakraProvider>
  </StrictMode>,
)

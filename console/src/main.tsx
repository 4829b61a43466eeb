import { QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter } from 'react-router'
import { Refused } from './api'
import { App } from './app'
import './style.css'

const client: QueryClient = new QueryClient({
  queryCache: new QueryCache({
    onError: (error) => {
      // A session that ended shows the sign-in page, wherever one was.
      if (error instanceof Refused && error.status === 401) client.setQueryData(['session'], null)
    },
  }),
  defaultOptions: {
    queries: { retry: (tries, error) => tries < 3 && error instanceof Refused && error.status === 0, staleTime: 2_000 },
  },
})

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
)
